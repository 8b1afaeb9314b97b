"""The yard view: the craft on its ground in 3D, with its forces drawn over it."""
