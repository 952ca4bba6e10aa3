"""AT commands: ITU-T V.250 for the command line and its results, 3GPP TS 27.007 for cellular modems."""
