"""What is found about a judged session and told on its page: normal, corners; and where symptoms without a log
point."""
