"""What leaves Basso for others to read: tables, spreadsheets."""
