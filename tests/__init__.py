"""Tests of every layer; run with ./dextrum test [name …]."""

# Before any test imports Qt: PySide6 hooks later imports and breaks Pydantic's lazy ones (see desktop/__init__.py).
import dextrum.store.jobs  # noqa: F401
