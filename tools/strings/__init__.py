"""Every string of the product that somebody may read or hear, with its place, and the page of findings made of them."""
