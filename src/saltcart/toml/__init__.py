"""Our own TOML files: typed structs say once what they may hold."""
