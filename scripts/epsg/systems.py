"""The coordinate systems of the EPSG dataset and their best relation to WGS 84 that needs no grid, from PROJ's database.

Shared by the script that writes the list which ships and by the test that checks it. Needs Debian's python3-pyproj.
"""
import math
import re
import sqlite3

import pyproj
from pyproj.aoi import AreaOfInterest
from pyproj.enums import WktVersion
from pyproj.transformer import TransformerGroup

WGS84 = pyproj.CRS.from_epsg(4326)


def database():
    return sqlite3.connect(f"{pyproj.datadir.get_data_dir()}/proj.db")


def codes():
    """Geographic and projected systems of EPSG by code, and whether a better one has taken their place."""
    rows = database().execute(
        "select code, deprecated from crs_view where auth_name = 'EPSG'"
        " and type in ('geographic 2D', 'geographic 3D', 'projected') order by cast(code as integer)"
    )
    return [(int(code), bool(deprecated)) for code, deprecated in rows]


def base_of(crs):
    """The geographic system that a system is made on."""
    return crs.geodetic_crs


def gridless(base, bbox):
    """PROJ's own first choice, in an area, of the transformations to WGS 84 that need no grid and no date; None without."""
    try:
        group = TransformerGroup(
            base, WGS84, always_xy=True, allow_ballpark=False, area_of_interest=AreaOfInterest(*bbox)
        )
    except (IndexError, pyproj.exceptions.ProjError):  # So the binding says that there is none that it can carry out.
        return None
    for transformer in group.transformers:
        definition = transformer.definition
        if re.search(r"grids=|xyzgrid|deformation|\+t_epoch|\+d[xyz]=|geogoffset|affine|horner|vertoffset", definition):
            continue
        return transformer
    return None


def matrix_of(definition):
    """The geocentric change of datum in a pipeline as (3x3, translation): X' = M X + T; the identity where there is none."""
    m, t = [[1.0, 0, 0], [0, 1.0, 0], [0, 0, 1.0]], [0.0, 0, 0]
    for step in re.split(r"(?:^|\s)(?:\+?step)\s", definition)[1:] or [definition]:
        words = dict(word.lstrip("+").partition("=")[::2] for word in step.split())
        if words.get("proj") not in ("helmert", "molobadekas"):
            continue
        number = lambda name: float(words.get(name, 0))
        second = math.pi / 648000
        rx, ry, rz = (number(name) * second for name in ("rx", "ry", "rz"))
        if words.get("convention") == "coordinate_frame":
            rx, ry, rz = -rx, -ry, -rz
        scale = 1 + number("s") * 1e-6
        r = [[scale, -scale * rz, scale * ry], [scale * rz, scale, -scale * rx], [-scale * ry, scale * rx, scale]]
        shift = [number("x"), number("y"), number("z")]
        if words["proj"] == "molobadekas":
            pivot = [number("px"), number("py"), number("pz")]
            shift = [shift[i] + pivot[i] - sum(r[i][k] * pivot[k] for k in range(3)) for i in range(3)]
        if "inv" in words:
            determinant = lambda a, b: r[a[0]][b[0]] * r[a[1]][b[1]] - r[a[0]][b[1]] * r[a[1]][b[0]]
            others = [(1, 2), (0, 2), (0, 1)]
            full = sum(r[0][k] * (-1) ** k * determinant(others[0], others[k]) for k in range(3))
            r = [[(-1) ** (i + k) * determinant(others[k], others[i]) / full for k in range(3)] for i in range(3)]
            shift = [-sum(r[i][k] * shift[k] for k in range(3)) for i in range(3)]
        m, t = [[sum(r[i][k] * m[k][j] for k in range(3)) for j in range(3)] for i in range(3)], [
            sum(r[i][k] * t[k] for k in range(3)) + shift[i] for i in range(3)
        ]
    return m, t


def towgs84(definition):
    """Three translations (m), three position-vector rotations (arc-seconds) and a scale (1e-6)."""
    m, t = matrix_of(definition)
    scale = (m[0][0] + m[1][1] + m[2][2]) / 3
    arc = 648000 / math.pi / scale / 2
    rotations = [(m[2][1] - m[1][2]) * arc, (m[0][2] - m[2][0]) * arc, (m[1][0] - m[0][1]) * arc]
    return [round(v, 5) + 0.0 for v in t] + [round(v, 8) + 0.0 for v in rotations] + [round((scale - 1) * 1e6, 8) + 0.0]


def bbox_of(crs):
    area = crs.area_of_use
    return (area.west, area.south, area.east, area.north)


# Well-known text of OGC 01-009, and the dialect of it that shapefiles speak.
OLDER = [version for version in WktVersion if version.value.startswith("WKT1")]
PLAIN = WktVersion.WKT1_GDAL
OF_SHAPEFILES = next(version for version in OLDER if version != PLAIN)


def wkt_of(crs, version):
    try:
        return crs.to_wkt(version)
    except pyproj.exceptions.CRSError:
        return None
