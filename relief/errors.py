"""What may go wrong because of what a person handed in. Every message is one plain sentence for that person."""

import errno

NO_ROOM = (errno.ENOSPC, errno.EDQUOT)
"""Numbers of the system's errors that say that the disk is full."""


class ReliefError(ValueError):
    """Something handed in cannot be used; the message says what and what to do."""


class PictureError(ReliefError):
    """A picture cannot be read."""


class MeshError(ReliefError):
    """A mesh cannot be read or mended."""


class RecipeError(ReliefError):
    """A recipe, or a change to one, is not valid."""


class TooManyFacesError(ReliefError):
    """A mesh would be larger than the limit."""


class TooDearError(ReliefError):
    """Something would take too long; the message says which number to change."""


class Cancelled(Exception):  # noqa: N818 - not an error: somebody changed their mind
    """The person who asked for the work no longer wants it."""
