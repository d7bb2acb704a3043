"""A finished pack explained by what it was made of, and drafted as a docket."""
