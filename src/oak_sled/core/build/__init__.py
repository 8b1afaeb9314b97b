"""Documents to arrays: the only bridge into the kernel."""
