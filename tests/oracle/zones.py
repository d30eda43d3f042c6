"""Features summed up by zones, by GEOS (Debian's Shapely) and the statistics module of Python's standard library.

Reads a line of JSON {"points": [[lon, lat, value or null], ...], "zones": [WKB in hexadecimal, ...]}. Writes a list a zone: null for a
zone that is not valid, else {"count", "sum", "mean", "median", "min", "max", "deviation"}.
"""
import json
import statistics
import sys

from shapely import wkb
from shapely.geometry import Point
from shapely.prepared import prep
from shapely.strtree import STRtree

question = json.loads(sys.stdin.readline())
points = [Point(x, y) for x, y, _ in question["points"]]
values = {id(point): value for point, (_, _, value) in zip(points, question["points"])}
tree = STRtree(points)
answers = []
for text in question["zones"]:
    zone = wkb.loads(text, hex=True)
    if not zone.is_valid:
        answers.append(None)
        continue
    exact = prep(zone)
    inside = [point for point in tree.query(zone) if exact.intersects(point)]
    own = [values[id(point)] for point in inside if values[id(point)] is not None]
    answers.append(
        {
            "count": len(inside),
            "sum": sum(own),
            "mean": statistics.fmean(own) if own else None,
            "median": statistics.median(own) if own else None,
            "min": min(own) if own else None,
            "max": max(own) if own else None,
            "deviation": statistics.stdev(own) if len(own) > 1 else None,
        }
    )
print(json.dumps(answers))
