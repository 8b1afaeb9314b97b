"""The page Character: which words of feel fit a craft, what speaks for each, and tuning towards them."""
