"""What is remembered of logs between starts: confirmed columns, decisions about readings, the parts on the shelf."""
