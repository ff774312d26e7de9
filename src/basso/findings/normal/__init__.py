"""Everything found about a session's normal: floor rules, oils, another day, what earlier sessions say of it."""
