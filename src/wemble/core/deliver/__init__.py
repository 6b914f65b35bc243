"""What will be sent: names, ranges, and the sentence that says so."""
