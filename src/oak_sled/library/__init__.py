"""The library: yards, runs and what they show, for scripts. No screen. `import oak_sled` gives its names."""
