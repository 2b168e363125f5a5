"""A simulated receiving program: what stands at the other end of a delivery.

It reads a bundle from its files alone, with other libraries than those that wrote it, under settings of its own. It
shares no code with what writes deliveries.
"""
