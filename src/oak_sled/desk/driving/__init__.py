"""Live driving, and what comes in while it goes on."""
