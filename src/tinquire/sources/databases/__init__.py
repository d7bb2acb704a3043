"""Databases: one query with bound parameters, and conditions and groups that the database calculates."""
