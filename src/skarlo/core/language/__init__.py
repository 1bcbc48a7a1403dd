"""Small languages of our own."""
