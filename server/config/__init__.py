"""Settings and the front doors: HTTP, WebSocket, pages."""
