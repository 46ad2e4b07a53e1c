"""Regions on the bench: choosing, painting, and what they change."""
