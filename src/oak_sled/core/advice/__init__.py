"""What it means: outlook, cautions, probe, previews."""
