"""The gateway: speaks to nodes over Modbus TCP, queues readings on disk, carries commands. Knows only the public API."""
