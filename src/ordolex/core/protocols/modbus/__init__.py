"""Modbus, after the MODBUS Application Protocol Specification V1.1b3 and MODBUS over Serial Line V1.02."""
