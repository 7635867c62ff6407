"""The command line: arguments in, text or JSON out, exit statuses. Nothing is computed here."""
