/** Endings of the parts of a shapefile beside the .shp itself. */
export const SHAPEFILE_PARTS = ['.dbf', '.shx', '.prj', '.cpg', '.qix', '.sbn', '.sbx', '.shp.xml', '.qmd', '.cst'];
