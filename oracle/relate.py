"""Relations and distances between shapes by GEOS (Debian's Shapely) and GeographicLib (PROJ's geodesics through pyproj).

Reads a line of JSON {"shapes": [...], "asks": [{"op": ..., "place": ..., "metres": ...}]}, shapes in longitude and
latitude; writes a line with a list a question: true, false or null (no shape, or too near the distance to tell) a shape.
"""
import json
import sys

import numpy
from pyproj import Geod
from shapely.geometry import shape
from shapely.prepared import prep

GEOD = Geod(ellps="WGS84")
# Edges are looked at this densely, in degrees, so that distances are known to within some metres from 30 km on.
STEP = 0.02
NEAR = 200.0

RELATIONS = {
    "s_intersects": lambda a, b: a.intersects(b),
    "s_disjoint": lambda a, b: a.disjoint(b),
    "s_contains": lambda a, b: a.contains(b),
    "s_within": lambda a, b: a.within(b),
    "s_touches": lambda a, b: a.touches(b),
    "s_crosses": lambda a, b: a.crosses(b),
    "s_overlaps": lambda a, b: a.overlaps(b),
    "s_equals": lambda a, b: a.equals(b),
}


def parts(geometry):
    if hasattr(geometry, "geoms"):
        for part in geometry.geoms:
            yield from parts(part)
    elif geometry.geom_type == "Polygon":
        yield from (geometry.exterior, *geometry.interiors)
    else:
        yield geometry


def positions(geometry):
    """Positions along all edges, near enough together."""
    found = []
    for part in parts(geometry):
        xy = numpy.array(part.coords)[:, :2]
        found.append(xy[:1])
        for a, b in zip(xy, xy[1:]):
            steps = max(1, int(numpy.ceil(numpy.abs(b - a).max() / STEP)))
            found.append(a + (b - a) * (numpy.arange(1, steps + 1) / steps)[:, None])
    return numpy.concatenate(found)


def corners(geometry):
    return numpy.concatenate([numpy.array(part.coords)[:, :2] for part in parts(geometry)])


def distance(a, b):
    if a.intersects(b):
        return 0.0
    least = numpy.inf
    for few, many in ((corners(a), positions(b)), (corners(b), positions(a))):
        for lon, lat in few:
            lons, lats = numpy.full(len(many), lon), numpy.full(len(many), lat)
            least = min(least, GEOD.inv(lons, lats, many[:, 0], many[:, 1])[2].min())
    return least


def answer(ask, shapes):
    place = shape(ask["place"])
    if ask["op"] != "S_DWITHIN":
        return [None if one is None else bool(RELATIONS[ask["op"]](one, place)) for one in shapes]
    found = []
    for one in shapes:
        metres = None if one is None else distance(one, place)
        told = metres is not None and (metres == 0 or abs(metres - ask["metres"]) > NEAR)
        found.append(bool(metres <= ask["metres"]) if told else None)
    return found


for line in sys.stdin:
    question = json.loads(line)
    shapes = [one and shape(one) for one in question["shapes"]]
    print(json.dumps([answer(ask, shapes) for ask in question["asks"]]), flush=True)
