"""The sheets that ship with the program, one TOML file for each kind of device."""
