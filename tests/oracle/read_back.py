"""What other programs find in written files: GDAL (Debian's Python binding), openpyxl in workbooks, Python's
csv in CSV. Of TopoJSON the attributes alone: GDAL passes over objects without a shape.

Reads a JSON list of paths; writes a list of features a path: {"values": {name: value}, "at": [[x, y], ...]}. Values are
null, numbers, texts, true and false, {"day": "2024-05-31"} or {"moment": milliseconds since 1970}; `at` are the positions of the
shape, each once, or null for none.
"""
import calendar
import csv
import datetime
import json
import os
import sys
import zipfile

import openpyxl
from osgeo import gdal, ogr

gdal.UseExceptions()
ogr.UseExceptions()
gdal.SetConfigOption("OGR_GEOJSON_MAX_OBJ_SIZE", "0")

# Texts stay texts, in whatever form they are.
OPTIONS = {
    ".geojson": ["DATE_AS_STRING=YES", "ARRAY_AS_STRING=YES"],
    ".geojsonl": ["DATE_AS_STRING=YES", "ARRAY_AS_STRING=YES"],
}


def value(feature, index, definition):
    if not feature.IsFieldSetAndNotNull(index):
        return None
    kind = definition.GetType()
    if kind == ogr.OFTInteger or kind == ogr.OFTInteger64:
        number = feature.GetFieldAsInteger64(index)
        return bool(number) if definition.GetSubType() == ogr.OFSTBoolean else number
    if kind == ogr.OFTReal:
        return feature.GetFieldAsDouble(index)
    if kind in (ogr.OFTDate, ogr.OFTDateTime):
        year, month, day, hour, minute, second, zone = feature.GetFieldAsDateTime(index)
        if kind == ogr.OFTDate:
            return {"day": "%04d-%02d-%02d" % (year, month, day)}
        seconds = calendar.timegm((year, month, day, hour, minute, 0))
        # 100 is UTC, each step a quarter of an hour.
        offset = 0 if zone < 2 else (zone - 100) * 900
        return {"moment": (seconds - offset) * 1000 + round(second * 1000)}
    return feature.GetFieldAsString(index)


def positions(geometry):
    if geometry.GetGeometryCount() == 0:
        return [list(geometry.GetPoint_2D(i)) for i in range(geometry.GetPointCount())]
    return [at for i in range(geometry.GetGeometryCount()) for at in positions(geometry.GetGeometryRef(i))]


def once(found):
    return [list(at) for at in sorted({tuple(at) for at in found})]


def layers(path):
    if path.endswith(".zip"):
        inside = [name for name in zipfile.ZipFile(path).namelist() if name.endswith((".shp", ".dbf"))]
        # Features without shapes of any kind are a table alone.
        alone = [name for name in inside if name.endswith(".dbf") and name[:-4] + ".shp" not in inside]
        paths = ["/vsizip/%s/%s" % (path, name) for name in inside if name.endswith(".shp") or name in alone]
    else:
        paths = [path]
    for one in paths:
        ending = os.path.splitext(one)[1]
        dataset = gdal.OpenEx(one, gdal.OF_VECTOR, open_options=OPTIONS.get(ending, []))
        for i in range(dataset.GetLayerCount()):
            yield dataset.GetLayer(i)


def features(path):
    found = []
    for layer in layers(path):
        schema = layer.GetLayerDefn()
        fields = [schema.GetFieldDefn(i) for i in range(schema.GetFieldCount())]
        for feature in layer:
            geometry = feature.GetGeometryRef()
            found.append(
                {
                    "values": {field.GetName(): value(feature, i, field) for i, field in enumerate(fields)},
                    "at": None if geometry is None else once(positions(geometry)),
                }
            )
    return found


def cell(content):
    if isinstance(content, datetime.datetime):
        return {"day": content.strftime("%Y-%m-%d")}
    return content


def rows(path):
    sheet = openpyxl.load_workbook(path, read_only=True).worksheets[0]
    head, *body = sheet.iter_rows(values_only=True)
    return [{"values": dict(zip(head, map(cell, row))), "at": None} for row in body]


def lines(path):
    csv.field_size_limit(1 << 30)
    with open(path, encoding="utf-8", newline="") as file:
        return [{"values": line, "at": None} for line in csv.DictReader(file, strict=True)]


def objects(path):
    with open(path, encoding="utf-8") as file:
        topology = json.load(file)
    found = [one for layer in topology["objects"].values() for one in layer["geometries"]]
    return [{"values": one["properties"], "at": None} for one in found]


def found_in(path):
    try:
        return {".xlsx": rows, ".csv": lines, ".topojson": objects}.get(os.path.splitext(path)[1], features)(path)
    except Exception as error:
        raise RuntimeError("%s cannot be read: %r" % (path, error)) from error


print(json.dumps([found_in(path) for path in json.load(sys.stdin)]))
