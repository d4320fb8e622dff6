"""Parts of the shop: lots, donors, orders."""
