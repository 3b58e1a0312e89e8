"""What a screen needs of a workpiece, as plain arrays: flattened linework, regions, meshes, a picture."""
