"""The port screen: ladder, pairs, typing and reading."""
