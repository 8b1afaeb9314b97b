"""Documents to arrays: the only way from a yard into the kernel."""
