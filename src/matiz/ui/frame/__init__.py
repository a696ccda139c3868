"""The window round the stations: route, header, commands, findings, show mode."""
