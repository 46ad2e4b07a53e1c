"""The band of seven stations and the shelf of controls above it."""
