"""Series on several machines: a board in Redis on which work is described, claimed by a lease, and reported."""
