"""The docket's schema: a model for each part of the file. `json_schema` is what editors are given."""
