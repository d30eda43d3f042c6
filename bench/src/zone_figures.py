"""Five figures of points by zones with GeoPandas, as zone_figures.ts asks for them.

Reads a line of JSON {"points": [[lon, lat, value or null], ...], "zones": [WKB in hexadecimal, ...], "rounds": n}. Writes the median
milliseconds of a spatial join with its figures, and the sum of each figure over all zones.
"""
import json
import sys
import time

import geopandas
import pandas
from shapely import wkb

question = json.loads(sys.stdin.readline())
lon, lat, value = zip(*question["points"])
points = geopandas.GeoDataFrame({"value": pandas.array(value, dtype="float64")}, geometry=geopandas.points_from_xy(lon, lat))
zones = geopandas.GeoDataFrame(geometry=[wkb.loads(text, hex=True) for text in question["zones"]])


def figures():
    joined = geopandas.sjoin(points, zones, predicate="intersects")
    groups = joined.groupby("index_right")["value"]
    found = groups.agg(["sum", "mean", "median", "std"]).rename(columns={"std": "deviation"})
    found["count"] = groups.size()
    return found.reindex(zones.index)


figures()
times = []
for _ in range(question["rounds"]):
    start = time.perf_counter()
    found = figures()
    times.append(1000 * (time.perf_counter() - start))
times.sort()
print(json.dumps({"millis": times[len(times) // 2], "totals": {name: float(found[name].sum()) for name in found}}))
