"""Our own TOML files: typed structs say once what may stand in them."""
