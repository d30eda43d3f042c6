"""Writes the list of coordinate systems that ships: a line of JSON each, compressed. Run when PROJ's database is newer.

usage: write_list.py OUT.jsonl.gz
"""
import gzip
import json
import math
import re
import sys
import warnings

import pyproj

from systems import OF_SHAPEFILES, PLAIN, base_of, bbox_of, codes, gridless, towgs84, wkt_of

warnings.simplefilter("ignore")


def aliases_of(crs):
    """The names of the system and of its datum in the dialect of shapefiles."""
    wkt = wkt_of(crs, OF_SHAPEFILES) or ""
    return [re.findall(pattern, wkt)[:1] for pattern in (r'^\w+\["([^"]*)"', r'DATUM\["([^"]*)"')]


def in_numbers(proj, crs):
    """The PROJ string with ellipsoid and prime meridian in figures: names of them are not the same everywhere."""
    ellipsoid, meridian = crs.ellipsoid, crs.prime_meridian
    a, rf = ellipsoid.semi_major_metre, ellipsoid.inverse_flattening
    degrees = meridian.longitude * meridian.unit_conversion_factor * 180 / math.pi
    shape = f"+a={a!r} +rf={rf!r}" if rf else f"+a={a!r} +b={a!r}"
    proj = re.sub(r"\+pm=\S+", f"+pm={degrees:.12g}", proj)
    return re.sub(r"\+(ellps|datum)=(?!WGS84)\S+", shape, proj)


def entry(code, deprecated):
    crs = pyproj.CRS.from_epsg(code)
    if crs.area_of_use is None:
        return None
    proj = re.sub(r"\s*\+(type=crs|no_defs)", "", crs.to_proj4() or "")
    proj = in_numbers(proj, crs)
    proj = re.sub(r"\s*\+(towgs84=\S+|nadgrids=(?!@null)\S+)", "", proj)
    base = base_of(crs)
    own = base.datum is not None and base.datum.name in ("World Geodetic System 1984", "World Geodetic System 1984 ensemble")
    best = None if own else gridless(base, bbox_of(crs))
    axes = [axis.direction for axis in crs.axis_info]
    made = {
        "code": code,
        "kind": "geographic" if crs.is_geographic else "projected",
        "name": crs.name,
        "area": crs.area_of_use.name,
        "bbox": [round(v, 4) for v in bbox_of(crs)],
        "proj": proj or None,
        "northFirst": axes[0] in ("north", "south") and axes[1] in ("east", "west"),
        "wkt": wkt_of(crs, PLAIN),
        "aliases": aliases_of(crs),
    }
    if crs.is_geographic and abs(crs.axis_info[0].unit_conversion_factor - 0.017453292519943295) > 1e-12:
        made["angle"] = crs.axis_info[0].unit_name
    if deprecated:
        made["deprecated"] = True
    if not own:
        made["shift"] = None
    if best is not None:
        made["shift"] = {
            "towgs84": towgs84(best.definition),
            "by": [
                f"{op.name} (EPSG:{op.to_json_dict()['id']['code']})"
                for op in best.operations or [best]
                if "axis order change" not in op.name and "id" in op.to_json_dict()
            ],
            "metres": best.accuracy,
        }
    return made


with gzip.GzipFile(sys.argv[1], "wb", 9, mtime=0) as out:
    made = 0
    for code, deprecated in codes():
        try:
            one = entry(code, deprecated)
        except pyproj.exceptions.CRSError as error:
            print(code, error, file=sys.stderr)
            continue
        if one is None:
            continue
        out.write((json.dumps(one, ensure_ascii=False, separators=(",", ":")) + "\n").encode())
        made += 1
print(made, "systems", file=sys.stderr)
