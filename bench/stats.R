# Seconds that spdep and spatialreg take for what bench/stats.ts does; one object of JSON. Rscript bench/stats.R FOLDER
suppressMessages({
  library(sf)
  library(spdep)
  library(spatialreg)
})
folder <- commandArgs(TRUE)[1]
sec <- function(e) as.numeric(system.time(e)["elapsed"])
small <- st_read(file.path(folder, "small.gpkg"), quiet = TRUE)
large <- st_read(file.path(folder, "large.gpkg"), quiet = TRUE)
out <- list()
out[["weights of 3 025 polygons"]] <- sec(ns <- poly2nb(small))
out[["weights of 99 856 polygons"]] <- sec(nl <- poly2nb(large))
xy <- st_coordinates(st_centroid(st_geometry(large)))
out[["8 nearest of 99 856"]] <- sec(knn2nb(knearneigh(xy, k = 8)))
ws <- nb2listw(ns)
wl <- nb2listw(nl)
out[["local Moran, 3 025, 999 shuffles"]] <- sec(localmoran_perm(small$value, ws, nsim = 999))
# A tenth of the shuffles, ten times counted: it takes long.
out[["local Moran, 99 856, 999 shuffles"]] <- 10 * sec(localmoran_perm(large$value, wl, nsim = 99))
out[["lag model, 3 025"]] <- sec(m <- lagsarlm(value ~ other, small, ws, method = "LU"))
out[["rho"]] <- m$rho
cat(jsonlite::toJSON(out, auto_unbox = TRUE, digits = 8))
