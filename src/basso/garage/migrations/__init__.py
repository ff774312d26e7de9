"""How the garage's database came to be, one step a file in ``versions``; steps are never changed once released."""
