"""The web interface's other half: one module per room."""
