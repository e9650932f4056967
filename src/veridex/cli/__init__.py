"""The `veridex` command: thin, no arithmetic."""
