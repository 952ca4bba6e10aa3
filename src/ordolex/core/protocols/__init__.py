"""What devices speak, by open standard: bytes in, values out, and the other half of each for the stand-ins. No I/O."""
