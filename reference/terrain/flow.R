# D8 flow directions of R's volcano (Maungawhau, shipped with R's datasets) by the terra package, as codes 0..7 clockwise from north.
# Flat cells (code 0 in terra) are left out: they are resolved differently. Needs: Debian's r-cran-terra. Run from the project's root.
library(terra)
z <- volcano * 1.0
r <- rast(nrows = nrow(z), ncols = ncol(z), xmin = 0, xmax = ncol(z) * 10, ymin = 0, ymax = nrow(z) * 10, crs = "EPSG:32760")
values(r) <- as.vector(t(z))
d <- values(terrain(r, "flowdir"))[, 1]
code <- c("64" = 0, "128" = 1, "1" = 2, "2" = 3, "4" = 4, "8" = 5, "16" = 6, "32" = 7)
out <- unname(code[as.character(d)])
out[is.na(out)] <- -1
cat(sprintf('{"package":"terra %s","columns":%d,"rows":%d,"direction":[%s]}\n', packageVersion("terra"), ncol(z), nrow(z), paste(out, collapse = ",")), file = "reference/fixtures/flow-d8.json")
