"""Parts: what lies where, what was used, which lots fail, what to order, what donors still hold."""
