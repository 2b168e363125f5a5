"""The demo pieces of the Ferry Lane Bathhouse, a made-up seaside bathhouse being rebuilt as a film set.

Every picture is generated here with a fixed seed.
"""
