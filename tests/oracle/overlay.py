"""Shares and cuts by GEOS (Debian's Shapely).

Reads a line of JSON {"shapes": [...], "places": [...], "cuts": [...]} in a plane: `cuts` are the shapes cut to what the places
cover together, null for those left out. Writes {"shares": [...], "wrong": [...]}: which part of each shape lies in the places (of
its area, else its length, else its points), and the cuts that are not what GEOS makes of them, in words.
"""
import json
import sys

from shapely.errors import TopologicalError
from shapely.geometry import shape
from shapely.ops import unary_union

from relate import covered
from shares import along, dimension, of_dimension, size


def inside(whole):
    """What of a shape lies in the places; where this GEOS cannot tell it of all of them at once, of each, put together."""
    try:
        return whole.intersection(together)
    except TopologicalError:
        return unary_union([whole.intersection(place) for place in places])


question = json.loads(sys.stdin.readline())
places = [covered(shape(place)) for place in question["places"]]
together = unary_union(places)
shares, wrong = [], []
for number, (one, made) in enumerate(zip(question["shapes"], question["cuts"])):
    whole = covered(shape(one))
    dim = dimension(whole)
    # Of a line that goes over itself, GEOS counts once what is gone along twice.
    if dim == 1 and not whole.is_simple:
        shares.append(None)
        continue
    if dim == 1:
        reach, common = along(whole, places)
    else:
        common = unary_union(of_dimension(inside(whole), dim))
        reach = size(common, dim)
    shares.append(reach / size(whole, dim))
    if dim == 0:
        continue
    if made is None:
        if reach > 0:
            wrong.append("shape %d is left out, and %r of it lies in the place" % (number, reach))
        continue
    made = covered(shape(made))
    if abs(size(made, dim) - reach) > 1e-9 * size(whole, dim):
        wrong.append("shape %d is cut to %r, not %r" % (number, size(made, dim), reach))
    # Where two edges meet is rounded, each library its own way.
    if reach > 0 and made.hausdorff_distance(common) > 1e-6:
        wrong.append("shape %d is cut otherwise: %r m apart" % (number, made.hausdorff_distance(common)))
print(json.dumps({"shares": shares, "wrong": wrong}))
