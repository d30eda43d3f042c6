"""Where PROJ puts positions of every system of the EPSG list, and each system's well-known text in four dialects.

A line of JSON a system: `at` has x, y of the system, and longitude and latitude on WGS 84 by PROJ's own first choice of a
transformation without a grid (of the datum itself where there is none).

usage: figures.py [n first]: every nth system, from the first on, counted from 0; all unless given
"""
import json
import math
import sys
import warnings

import pyproj
from pyproj.enums import WktVersion

from systems import OLDER, base_of, bbox_of, codes, gridless, wkt_of

warnings.simplefilter("ignore")
DIALECTS = OLDER + [WktVersion.WKT2_2015, WktVersion.WKT2_2019]


def places(bbox):
    west, south, east, north = bbox
    if east < west:
        east += 360
    for u, v in ((0.5, 0.5), (0.2, 0.3), (0.8, 0.3), (0.3, 0.75), (0.75, 0.7)):
        lon = west + u * (east - west)
        yield (lon - 360 if lon > 180 else lon), south + v * (north - south)


known = {}


def related_of(base, bbox):
    """`gridless`, looked up once for what several systems share: it takes most of the time."""
    key = (base.to_authority(), bbox)
    if key[0] is None:
        return gridless(base, bbox)
    if key not in known:
        known[key] = gridless(base, bbox)
    return known[key]


def positions(crs):
    base, bbox = base_of(crs), bbox_of(crs)
    into = pyproj.Transformer.from_crs(base, crs, always_xy=True)
    related = related_of(base, bbox)
    meridian = base.prime_meridian.longitude * base.prime_meridian.unit_conversion_factor * 180 / math.pi
    unit = base.axis_info[0].unit_conversion_factor * 180 / math.pi
    for lon, lat in places(bbox):
        own = ((lon - meridian) / unit, lat / unit)
        x, y = into.transform(*own)
        there = related.transform(*own) if related else (lon, lat)
        if all(map(math.isfinite, (x, y, *there[:2]))):
            yield [x, y, *there[:2]]


every, first = (int(arg) for arg in (sys.argv[1:] or ["1", "0"]))
for code, _ in codes()[first::every]:
    crs = pyproj.CRS.from_epsg(code)
    if crs.area_of_use is None:
        continue
    try:
        at = list(positions(crs))
    except pyproj.exceptions.ProjError:
        at = []
    wkts = [wkt_of(crs, dialect) for dialect in DIALECTS]
    print(json.dumps({"code": code, "at": at, "wkts": [wkt for wkt in wkts if wkt]}))
