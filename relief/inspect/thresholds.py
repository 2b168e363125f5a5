"""From where on something will look wrong. All thresholds of the findings stand here, each with its reason."""

HARSH_ABOVE = 70.0
"""Degrees. Steeper than this light catches single texels and a mesh folds into spikes (common practice, no source)."""

SWELL_ABOVE = 0.02
"""Part of the range. With mean and median farther from midlevel the whole surface is seen to grow or shrink."""

STEP_ABOVE = 1 / 20
"""Part of a texel's width. A jump taller than this turns the light by 3 degrees, which the eye picks out of a flat."""

STEP_SHARE = 0.5
"""Part of all changes between neighbours that must be single jumps between flats before they are called steps."""

CLIFF_ABOVE = 85.0
"""Degrees at which the steepest 0.5 % of a photo's relief may stand: at this angle thin lines are one texel wide."""

FROM_OTHERS = 1.4
"""Times that a telltale must stand out more than the next place that does not count as one."""

COMFORTABLE = 40.0
"""Degrees at which the steepest 5 % stand well under most lights (common practice, no source)."""

WEAK_BELOW = 8.0
"""Degrees. A relief of which less than one part of 200 is steeper is lost under most lights (common practice, no
source); thin lines on even ground are more than that."""

CLIPPED_ABOVE = 0.03
"""Part of a photo's relief at its very lowest and highest. Levels by percentiles cut off 0.01; more are plateaus."""

SHALLOW_BELOW, DEEP = 0.02, 0.05
"""Part of the range of its numbers below which a height image is called nearly flat; and how deep it is made at most
once it is stretched, as a part of its shorter side."""

UNEVEN_TIMES = 1.6
"""Times that one side of a photo is brighter; light that falls off by less is a slope that is hardly seen."""

MOST_TERRACES = 32
"""Levels that may be drawn as terraces."""

SEAM_ABOVE = 2.0
"""Seam ratio. From 1.5 on a step across the edge reads as a line; noise within a picture that tiles stays below 2."""

BANDS_ABOVE = 75.0
"""Degrees in the normal map. Here one of 8 bits turns it by 1 / (127 cos 75 degrees), 1.7 degrees, seen on smooth
ground."""

SEAM_BAND = 0.1
"""Part of the shorter side over which a seam is closed at first."""

UNIT_WITHIN, UNIT_WITHIN_LOSSY, UNIT_OVER = 0.06, 0.14, 8
"""How far the length of normals may be from 1 in the mean of 8 x 8 texels: the grain of a lossy file is gone there,
what softening or a curve took is not. A JPEG keeps colours at half the size, which takes up to 0.13 of steep ones."""

UNEVEN_SHARE = 0.05
"""Part of the places where they may be shorter or longer."""

STRETCHED = 0.01
"""Parts by which aspects may differ before maps no longer lie on each other, or a picture is seen to be stretched."""

AGREE = 0.15
"""A correlation of slopes beyond this, to either side, is taken for an answer."""

BENT_BY = 0.02
"""How much better the slopes of a height must fit its normal map with the display curve taken off, or put on, before it
is said to have one too many: 8 bits alone move the correlation by less than 0.005."""

TELLTALE_ABOVE = 6.0
"""Standard deviations from the ordinary. A place that stands out more is found again in every repeat at first sight."""

FEW_TELLTALES = 3
"""More places than this that stand out alike are the motif itself."""
