"""What comes over a wire, taken apart: pure parsers that refuse by name and never crash."""
