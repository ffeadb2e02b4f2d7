"""The project: settings, addresses, health, logs, backups, commands, the demo."""
