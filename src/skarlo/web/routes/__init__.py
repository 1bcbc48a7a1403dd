"""The routes of the HTTP interface, by what they are about."""
