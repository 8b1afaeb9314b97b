"""What if: spread, tick check."""
