"""Everything found about a session's normal: schools, oils, another day, what earlier sessions say of it."""
