"""Relations and distances between shapes by GEOS (Debian's Shapely) and GeographicLib (PROJ's geodesics through pyproj).

Reads a line of JSON {"shapes": [...], "asks": [{"op": ..., "place": ..., "metres": ...}], "system": ..., "scale": ...}, shapes in
longitude and latitude where the system is null; writes a line with a list a question: true, false or null (no shape, or too near the distance to tell) a shape.
"""
import json
import sys

import numpy
from pyproj import Geod, Transformer
from shapely.geometry import shape
from shapely.ops import unary_union
from shapely.validation import make_valid

GEOD = Geod(ellps="WGS84")
# Edges are looked at in so many pieces of their own, so that distances are known to within some metres from 30 km on.
DEGREES, METRES, FEET = 0.02, 2000.0, 6000.0
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


class Earth:
    """Distances on the ellipsoid between shapes in a system."""

    def __init__(self, system, scale):
        self.step = DEGREES * scale
        self.near = NEAR * scale
        self.geographic = lambda xy: xy
        if system is not None:
            transformer = Transformer.from_crs(system, "EPSG:4326", always_xy=True)
            self.step = scale * (METRES if transformer.source_crs.axis_info[0].unit_name == "metre" else FEET)
            self.geographic = lambda xy: numpy.column_stack(transformer.transform(xy[:, 0], xy[:, 1]))

    def positions(self, geometry):
        """Positions along all edges, near enough together, in longitude and latitude."""
        found = []
        for part in parts(geometry):
            xy = numpy.array(part.coords)[:, :2]
            found.append(xy[:1])
            for a, b in zip(xy, xy[1:]):
                steps = max(1, int(numpy.ceil(numpy.abs(b - a).max() / self.step)))
                found.append(a + (b - a) * (numpy.arange(1, steps + 1) / steps)[:, None])
        return self.geographic(numpy.concatenate(found))

    def corners(self, geometry):
        return self.geographic(numpy.concatenate([numpy.array(part.coords)[:, :2] for part in parts(geometry)]))

    def distance(self, a, b):
        if a.intersects(b):
            return 0.0
        least = numpy.inf
        for few, many in ((self.corners(a), self.positions(b)), (self.corners(b), self.positions(a))):
            for lon, lat in few:
                lons, lats = numpy.full(len(many), lon), numpy.full(len(many), lat)
                least = min(least, GEOD.inv(lons, lats, many[:, 0], many[:, 1])[2].min())
        return least


def covered(geometry):
    """What a shape covers: of a polygon what lies in an odd number of its rings, of several what any of them covers."""
    if geometry.is_valid:
        return geometry
    return unary_union([make_valid(one) for one in getattr(geometry, "geoms", [geometry])])


def answer(ask, shapes, earth):
    place = covered(shape(ask["place"]))
    if ask["op"] != "S_DWITHIN":
        return [None if one is None else bool(RELATIONS[ask["op"]](one, place)) for one in shapes]
    found = []
    for one in shapes:
        if one is None or one.is_empty or place.is_empty:
            found.append(None)
            continue
        metres = earth.distance(one, place)
        told = metres == 0 or abs(metres - ask["metres"]) > earth.near
        found.append(bool(metres <= ask["metres"]) if told else None)
    return found


def main():
    for line in sys.stdin:
        answer_line(json.loads(line))


def answer_line(question):
    shapes = [one and covered(shape(one)) for one in question["shapes"]]
    earth = Earth(question["system"], question["scale"])
    print(json.dumps([answer(ask, shapes, earth) for ask in question["asks"]]), flush=True)


if __name__ == "__main__":
    main()
