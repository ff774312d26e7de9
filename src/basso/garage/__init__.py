"""The garage: cars, their oil systems, and everything done to them, kept in one open database.

``records`` says what is kept, ``store`` keeps it, ``bundle`` takes a car along, ``oil_log`` and ``build_line`` read it.
The only package that speaks SQL.
"""
