"""What the pages with a working drawing share."""
