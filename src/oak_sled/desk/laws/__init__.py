"""The pane Laws: force laws drawn over each other, and formulas written for them."""
