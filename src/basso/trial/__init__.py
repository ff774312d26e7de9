"""Did a change help? Before against after, like with like, and how sure."""
