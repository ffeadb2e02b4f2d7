"""The document: defaults, validation, earlier versions, and the mix that it makes."""
