"""The page Spread: many variants of a drill as a map or a curve, what matters, and what is traded for what."""
