#!/usr/bin/env python3
"""Writes rivers and lakes for the map's ground as TopoJSON, from GSHHG 2.3.7 (World Data Bank II; LGPL-3+).

Needs Debian's gdal-bin, gmt-gshhg-low (rivers) and python-cartopy-data (lakes). Coordinates are longitude and latitude on WGS 84;
its resolution "low" leaves out what is below about a kilometre.

    scripts/waters/write_waters.py > packages/web/src/map/waters.json
"""

import json
import subprocess
import sys

RIVERS = "/usr/share/gmt-gshhg/binned_river_l.nc"
LAKES = "/usr/share/cartopy/data/shapefiles/gshhs/l/GSHHS_l_L2.shp"
# Double-lined, permanent major, additional major, additional; the rest is minor, intermittent or canals.
RANKS = {0: 1, 1: 1, 2: 2, 3: 3}
# Square kilometres from which a lake is seen in the first, the second and the third of the ranks.
LARGE = (5000, 1000, 200)
STEP = 0.004


def quantized(points):
    """Points in steps from the south-west corner of the world, none twice in a row."""
    line = []
    for lon, lat in points:
        point = (round((lon + 180) / STEP), round((lat + 90) / STEP))
        if not line or line[-1] != point:
            line.append(point)
    return line


def joined(lines):
    """Lines that end where exactly one other begins or ends are made one."""
    ends = {}
    for line in lines:
        for end in (line[0], line[-1]):
            ends.setdefault(end, []).append(line)
    done = set()

    def grow(line):
        """Goes on from the last point for as long as there is one way only."""
        while True:
            here = ends[line[-1]]
            if len(here) != 2:
                return line
            nexts = [other for other in here if id(other) not in done]
            if len(nexts) != 1:
                return line
            other = nexts[0]
            done.add(id(other))
            line = line + (other[1:] if other[0] == line[-1] else other[-2::-1])

    result = []
    for line in lines:
        if id(line) in done:
            continue
        done.add(id(line))
        result.append(grow(grow(line)[::-1]))
    return result


def rivers():
    """Lines by rank."""
    told = subprocess.run(["gdalmdiminfo", "-detailed", RIVERS], check=True, capture_output=True, text=True).stdout
    arrays = {name: array["values"] for name, array in json.loads(told)["arrays"].items()}
    across = arrays["N_bins_in_360_longitude_range"][0]
    size = arrays["Bin_size_in_minutes"][0] / 60
    lons = arrays["Relative_longitude_from_SW_corner_of_bin"]
    lats = arrays["Relative_latitude_from_SW_corner_of_bin"]
    by_rank = {1: [], 2: [], 3: []}
    for number, (first, count) in enumerate(zip(arrays["Id_of_first_segment_in_a_bin"], arrays["N_segments_in_a_bin"])):
        west = (number % across) * size
        # Bins go from the north to the south.
        south = 90 - (number // across + 1) * size
        for segment in range(first, first + count):
            rank = RANKS.get(arrays["Hierarchial_level_of_a_segment"][segment])
            if rank is None:
                continue
            start = arrays["Id_of_first_point_in_a_segment"][segment]
            points = []
            for i in range(start, start + arrays["N_points_for_a_segment"][segment]):
                # The shorts are meant without a sign.
                lon = west + (lons[i] & 0xFFFF) / 65535 * size
                points.append((lon - 360 if west >= 180 else lon, south + (lats[i] & 0xFFFF) / 65535 * size))
            line = quantized(points)
            if len(line) > 1:
                by_rank[rank].append(line)
    return {rank: joined(lines) for rank, lines in by_rank.items()}


def lakes():
    """Outer rings by rank."""
    command = ["ogr2ogr", "-f", "GeoJSON", "/vsistdout/", LAKES, "-where", f"area >= {LARGE[-1]}"]
    told = subprocess.run(command, check=True, capture_output=True, text=True).stdout
    by_rank = {1: [], 2: [], 3: []}
    for feature in json.loads(told)["features"]:
        rank = next(i + 1 for i, least in enumerate(LARGE) if float(feature["properties"]["area"]) >= least)
        ring = quantized(feature["geometry"]["coordinates"][0])
        if len(ring) > 3:
            by_rank[rank].append(ring)
    return by_rank


def main():
    arcs = []

    def arc(line):
        deltas = [list(line[0])]
        for (x0, y0), (x1, y1) in zip(line, line[1:]):
            deltas.append([x1 - x0, y1 - y0])
        arcs.append(deltas)
        return len(arcs) - 1

    geometries = [
        {"type": "MultiLineString", "properties": {"rank": rank}, "arcs": [[arc(line)] for line in lines]}
        for rank, lines in rivers().items()
    ]
    geometries += [
        {"type": "MultiPolygon", "properties": {"rank": rank}, "arcs": [[[arc(ring)]] for ring in rings]}
        for rank, rings in lakes().items()
    ]
    topology = {
        "type": "Topology",
        "transform": {"scale": [STEP, STEP], "translate": [-180, -90]},
        "objects": {"waters": {"type": "GeometryCollection", "geometries": geometries}},
        "arcs": arcs,
    }
    json.dump(topology, sys.stdout, separators=(",", ":"))


main()
