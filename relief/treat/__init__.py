"""Treatments: operations on a layer's height, each in a file of its own.

A treatment is a `Treatment` model with its parameters, and a function on arrays that it calls. `TREATMENTS` finds the
files by itself.
"""

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from relief.parameters import discover
from relief.treat.treatment import Treatment

TREATMENTS = discover(__name__, Treatment)
"""Every treatment by its kind."""

if TYPE_CHECKING:
    AnyTreatment = Treatment
else:
    AnyTreatment = Annotated[reduce(or_, TREATMENTS.values()), Field(discriminator="kind")]
"""The type of one entry of a layer's list of treatments."""
