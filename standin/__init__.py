"""Simulated nodes that ship with the product: real Modbus servers whose registers the core's bed model moves."""
