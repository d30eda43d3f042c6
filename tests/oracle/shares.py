"""Which part of a shape lies in others, by GEOS (Debian's Shapely)."""
from shapely.geometry import Point
from shapely.ops import substring, unary_union


def parts(geometry):
    if hasattr(geometry, "geoms"):
        return [one for member in geometry.geoms for one in parts(member)]
    return [] if geometry.is_empty else [geometry]


def dimension(geometry):
    return max((0 if one.geom_type == "Point" else 1 if "Line" in one.geom_type else 2) for one in parts(geometry))


def size(geometry, dim):
    if dim == 0:
        return len({(one.x, one.y) for one in parts(geometry) if one.geom_type == "Point"})
    return geometry.area if dim == 2 else geometry.length


def of_dimension(geometry, dim):
    wanted = {0: "Point", 1: "LineString", 2: "Polygon"}[dim]
    return [one for one in parts(geometry) if one.geom_type == wanted]


def along(line, places):
    """How much of a line that does not cross itself lies in any of the places, and where: a union of places would move their edges."""
    runs = []
    for place in places:
        for piece in of_dimension(line.intersection(place), 1):
            ends = [line.project(Point(at)) for at in piece.coords]
            runs += [sorted(pair) for pair in zip(ends, ends[1:])]
    reached, total, pieces = 0.0, 0.0, []
    for start, end in sorted(runs):
        if end > reached:
            pieces.append(substring(line, max(start, reached), end))
            total += end - max(start, reached)
            reached = end
    return total, unary_union(pieces)


def reach(whole, places):
    """What of a shape lies in any of the places: its dimension, and the common part, which counts once."""
    dim = dimension(whole)
    if dim == 1:
        return dim, along(whole, places)[1]
    if dim == 0:
        return dim, unary_union([whole.intersection(place) for place in places])
    return dim, unary_union(of_dimension(whole.intersection(unary_union(places)), dim))


def share(whole, places, measure=size):
    """Which part, 0 to 1; None for what has no size, and for a line that goes over itself, as GEOS counts once what is gone along twice.

    measure(geometry, dimension) gives its area, length or number of points.
    """
    if dimension(whole) == 1 and not whole.is_simple:
        return None
    dim, common = reach(whole, places)
    size_of_all = measure(whole, dim)
    # What lies at a pole alone has no size.
    return measure(common, dim) / size_of_all if size_of_all > 0 else None
