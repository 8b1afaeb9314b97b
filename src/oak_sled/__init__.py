"""Oak Sled: a desk for the forces that move vehicles in games."""

__version__ = "0.1.0"
