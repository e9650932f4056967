"""The version: of the package, and in every key of what it computed."""

__all__ = ["VERSION"]

VERSION = "0.1.0"
