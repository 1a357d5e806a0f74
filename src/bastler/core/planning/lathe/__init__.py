"""Planning in the plane of a lathe."""
