"""Relations, shares and distances between shapes by GEOS (Debian's Shapely) and GeographicLib (PROJ's geodesics through pyproj).

Reads a line of JSON {"shapes": [...], "asks": [...], "system": ..., "scale": ...}, shapes in longitude and latitude where the
system is null. An ask is {"op", "centroid", "places", "all", "amount"}: a place is {"shapes": [...], "own": [...]}, any of its
shapes, where `own` (or null) says which feature each of them is, as a feature is not compared with itself; several places are
alternatives, or `all` are wanted; the amount is metres, percent or how many. Writes a line with a list an ask: true, false or
null (no shape, or too near the limit to tell) a shape.
"""
import json
import sys

import numpy
from pyproj import Geod, Transformer
from shapely.geometry import LineString, shape
from shapely.geometry.polygon import orient
from shapely.ops import polygonize, unary_union
from shapely.validation import make_valid

from shares import share, size

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
    "S_COVERS": lambda a, b: a.covers(b),
    "S_COVEREDBY": lambda a, b: a.covered_by(b),
}


def parts(geometry):
    if hasattr(geometry, "geoms"):
        for part in geometry.geoms:
            yield from parts(part)
    elif geometry.geom_type == "Polygon":
        yield from (geometry.exterior, *geometry.interiors)
    else:
        yield geometry


def on_ellipsoid(geometry, dim):
    if dim == 0:
        return size(geometry, dim)
    return GEOD.geometry_length(geometry) if dim == 1 else sum(GEOD.geometry_area_perimeter(orient(one))[0] for one in polygons(geometry))


def polygons(geometry):
    return [one for one in getattr(geometry, "geoms", [geometry]) if one.geom_type == "Polygon"]


class Earth:
    """Distances on the ellipsoid between shapes in a system."""

    def __init__(self, system, scale):
        self.known = {}
        self.step = DEGREES * scale
        self.near = NEAR * scale
        self.geographic = lambda xy: xy
        # Areas and lengths on the ellipsoid depend on where new corners are put: known less closely than those of a plane.
        self.percent = 1.0 if system is None else 1e-6
        self.measure = on_ellipsoid if system is None else size
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

    def looked_at(self, geometry):
        """Corners and positions along all edges, each with where it is in space, found once a shape."""
        if id(geometry) not in self.known:
            found = [(lonlat, in_space(lonlat)) for lonlat in (self.corners(geometry), self.positions(geometry))]
            # The shape is kept with them, so that no other one takes its place in memory.
            self.known[id(geometry)] = (geometry, found)
        return self.known[id(geometry)][1]

    def distance(self, a, b):
        if a.intersects(b):
            return 0.0
        (corners_a, along_a), (corners_b, along_b) = self.looked_at(a), self.looked_at(b)
        return min(least(corners_a, along_b), least(corners_b, along_a))


def in_space(lonlat):
    """Metres from the centre of WGS84's ellipsoid."""
    lon, lat = numpy.radians(lonlat[:, 0]), numpy.radians(lonlat[:, 1])
    squared = GEOD.es
    normal = GEOD.a / numpy.sqrt(1 - squared * numpy.sin(lat) ** 2)
    return numpy.column_stack([normal * numpy.cos(lat) * numpy.cos(lon), normal * numpy.cos(lat) * numpy.sin(lon), normal * (1 - squared) * numpy.sin(lat)])


def least(few, many):
    """The least geodesic distance: measured for pairs that are nearest in space, as the two ways of measuring differ by less than a hundredth."""
    chords = numpy.linalg.norm(few[1][:, None, :] - many[1][None, :, :], axis=2)
    i, j = numpy.nonzero(chords <= chords.min() * 1.02 + 1)
    (lon, lat), (lons, lats) = few[0][i].T, many[0][j].T
    return GEOD.inv(lon, lat, lons, lats)[2].min()


def covered(geometry):
    """What a shape covers: of a polygon what lies in an odd number of its rings, of several what any of them covers."""
    if geometry.is_valid:
        return geometry
    return unary_union([odd(one) if one.geom_type == "Polygon" else make_valid(one) for one in getattr(geometry, "geoms", [geometry])])


def odd(polygon):
    """The faces between the rings of a polygon from which a ray leaves through an odd number of edges."""
    rings = [numpy.array(ring.coords)[:, :2] for ring in (polygon.exterior, *polygon.interiors)]

    def covers(x, y):
        crossed = 0
        for ring in rings:
            (x1, y1), (x2, y2) = ring[:-1].T, ring[1:].T
            with numpy.errstate(divide="ignore", invalid="ignore"):
                crossed += numpy.count_nonzero(((y1 > y) != (y2 > y)) & (x < (x2 - x1) * (y - y1) / (y2 - y1) + x1))
        return crossed % 2 == 1

    lines = unary_union([LineString(ring) for ring in rings])
    inside = [face for face in polygonize(lines) if covers(*face.representative_point().coords[0])]
    return unary_union([*inside, lines])


def relates(ask, one, place, row, earth):
    """Whether a shape has the relation to any shape of a place; None where that cannot be told."""
    found = []
    for other, own in zip(place["shapes"], place["own"] or [None] * len(place["shapes"])):
        if other is None or own == row:
            continue
        # Without a common interior no two shapes are equal (OGC 06-103r4, 6.1.14.3: T*F**FFF*), though Shapely says so of empty ones.
        if one.is_empty and other.is_empty:
            found.append(False)
            continue
        if ask["op"] == "S_DWITHIN":
            if other.is_empty:
                continue
            metres = earth.distance(one, other)
            told = metres == 0 or abs(metres - ask["amount"]) > earth.near
            found.append(bool(metres <= ask["amount"]) if told else None)
        elif ask["centroid"] and one.geom_type == "Point" and on_edge(one, other, earth):
            found.append(None)
        else:
            found.append(bool(RELATIONS[ask["op"]](one, other)))
    return True if True in found else None if None in found else False


def on_edge(centroid, other, earth):
    """A centroid is rounded: what it is to a place that it lies on, or whose edge it lies on, is not told."""
    if other.is_empty:
        return False
    edge = other.boundary if "Polygon" in other.geom_type else other
    return edge.distance(centroid) < 1e-9 * earth.step


def together(found, every):
    if every:
        return False if False in found else None if None in found else True
    return True if True in found else None if None in found else False


def shared(one, place, row, earth, percent):
    """Whether so many percent of a shape lie in what the shapes of a place cover together."""
    others = [other for n, other in enumerate(place["shapes"]) if other and not (place["own"] and place["own"][n] == row)]
    part = share(one, others, earth.measure)
    if part is None or (part < 1 - 1e-9 and abs(100 * part - percent) < earth.percent):
        return None
    return bool(100 * part >= percent - 1e-6)


def nearest(shapes, place, earth, k):
    """Whether each of the shapes is among the k nearest to a place."""
    distances = []
    for row, one in enumerate(shapes):
        others = [other for n, other in enumerate(place["shapes"]) if other and not other.is_empty and not (place["own"] and place["own"][n] == row)]
        distances.append(None if one is None or one.is_empty else min([earth.distance(one, other) for other in others], default=numpy.inf))
    known = sorted(metres for metres in distances if metres is not None and metres < numpy.inf)
    if not known:
        return [None if metres is None else False for metres in distances]
    last = known[min(k, len(known)) - 1]

    def among(metres):
        if metres is None:
            return None
        if metres == 0 or metres == numpy.inf or len(known) <= k:
            return bool(metres < numpy.inf)
        # Of what is nearer than the pieces that edges are looked at in, the distance is not known well enough.
        if abs(metres - last) <= earth.near or max(metres, last) < 50 * earth.near:
            return None
        return bool(metres < last)

    return [among(metres) for metres in distances]


def answer(ask, shapes, earth):
    places = [{"shapes": [other and covered(shape(other)) for other in place["shapes"]], "own": place["own"]} for place in ask["places"]]
    if ask["op"] == "S_NEAREST":
        return nearest(shapes, places[0], earth, ask["amount"])
    found = []
    for row, one in enumerate(shapes):
        if one is None or (one.is_empty and ask["op"] in ("S_DWITHIN", "S_SHARE_IN")):
            found.append(None)
        elif ask["op"] == "S_SHARE_IN":
            found.append(shared(one, places[0], row, earth, ask["amount"]))
        else:
            found.append(together([relates(ask, one, place, row, earth) for place in places], ask["all"]))
    return found


def main():
    for line in sys.stdin:
        answer_line(json.loads(line))


def answer_line(question):
    given = [one and shape(one) for one in question["shapes"]]
    shapes = [one and covered(one) for one in given]
    # Of a shape that breaks the rules there are several ideas of the centre.
    centres = [one.centroid if one and one.is_valid and not one.is_empty else None for one in given]
    earth = Earth(question["system"], question["scale"])
    print(json.dumps([answer(ask, centres if ask["centroid"] else shapes, earth) for ask in question["asks"]]), flush=True)


if __name__ == "__main__":
    main()
