"""What each number is, with its interval."""
