"""Tests of every layer; run with ./dextrum test [name …]."""
