"""Whether polygons hold what lies within a distance of shapes, by GeographicLib (PROJ's geodesics) and GEOS (Debian's Shapely).

Reads a line of JSON {"system": ..., "step": ..., "seed": ..., "cases": [{"shape": ..., "metres": ..., "widened": ..., "error": ...}]}:
shapes in the system (longitude and latitude where it is null) whose edges are looked at in pieces of `step` of its units,
`widened` in longitude and latitude. Tries places round each shape; writes those that lie on the wrong side, in words.
"""
import json
import random
import sys

import numpy
from pyproj import Geod, Transformer
from shapely.geometry import Point, shape
from shapely.prepared import prep

from relate import Earth, covered

GEOD = Geod(ellps="WGS84")
PLACES = 24


def holds(widened, lon, lat):
    # What lies at 180 lies at -180 too.
    twin = -180 if lon == 180 else 180 if lon == -180 else lon
    return widened.intersects(Point(lon, lat)) or widened.intersects(Point(twin, lat))


question = json.loads(sys.stdin.readline())
pick = random.Random(question["seed"])
earth = Earth(question["system"], 1)
earth.step = question["step"]
back = None if question["system"] is None else Transformer.from_crs("EPSG:4326", question["system"], always_xy=True)
wrong = []
told = 0
for number, case in enumerate(question["cases"]):
    one, widened, metres = covered(shape(case["shape"])), shape(case["widened"]), case["metres"]
    if not widened.is_valid:
        wrong.append("case %d: the polygon is not valid" % number)
        continue
    widened, own = prep(widened), prep(one)
    along = earth.positions(one)
    for _ in range(PLACES):
        at = along[pick.randrange(len(along))]
        lon, lat, _ = GEOD.fwd(at[0], at[1], pick.uniform(0, 360), metres * pick.choice([0.5, 0.98, 1.02, 1.5]))
        inside = own.intersects(Point(*((lon, lat) if back is None else back.transform(lon, lat))))
        far = GEOD.inv(numpy.full(len(along), lon), numpy.full(len(along), lat), along[:, 0], along[:, 1])[2]
        distance = 0.0 if inside else far.min()
        # Between two positions that were looked at the shape may be nearer.
        apart = 0.75 * question["step"] * (111_700.0 if back is None else 1.0)
        near = distance - max(distance**2 - apart**2, 0) ** 0.5 + case["error"]
        if abs(distance - metres) <= near:
            continue
        told += 1
        if holds(widened, lon, lat) != (distance < metres):
            wrong.append("case %d: %.7f %.7f is %.1f m away of %.1f" % (number, lon, lat, distance, metres))
print(json.dumps({"told": told, "wrong": wrong}))
