"""The garage: cars, their oil systems, and everything done to them, kept in one open database.

``records`` says what is kept, ``store`` keeps it, ``bundle`` takes a car along. What is read out of them stands in
:mod:`basso.car`. The only package that speaks SQL.
"""
