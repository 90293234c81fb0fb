"""Rules and arithmetic of Tall Reed: pure functions, no interface, no clock, no disk, no network."""
