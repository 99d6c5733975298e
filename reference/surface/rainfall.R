# Daily rainfall of Switzerland on 8 May 1986 (Spatial Interpolation Comparison 97; shipped with R's gstat as sic97): 100 gauges that were
# given and 467 in all, places in metres, rain in tenths of a millimetre. Kriged at the gauges that were not given, with the models that gstat
# itself fits, and the errors there. Needs Debian's r-cran-sp and r-cran-gstat. Run from the project's root: Rscript reference/surface/rainfall.R
suppressMessages({library(sp); library(gstat)})
data(sic97)
g <- sic_obs; all <- sic_full
num <- function(v) paste0("[", paste(sprintf("%.10g", v), collapse = ","), "]")
xy <- coordinates(g); axy <- coordinates(all)
key <- function(m) paste(round(m[,1]), round(m[,2]))
others <- all[!(key(axy) %in% key(xy)), ]
v <- variogram(rainfall ~ 1, g)
err <- function(model) { f <- fit.variogram(v, vgm(15000, model, 50000, 100)); k <- krige(rainfall ~ 1, g, others, f, debug.level = 0); sqrt(mean((k$var1.pred - others$rainfall)^2)) }
cat(sprintf('{"package":"gstat %s","x":%s,"y":%s,"z":%s,"ox":%s,"oy":%s,"oz":%s,"rmse":{"spherical":%.6g,"exponential":%.6g,"gaussian":%.6g}}\n',
  packageVersion("gstat"), num(xy[,1]), num(xy[,2]), num(g$rainfall), num(coordinates(others)[,1]), num(coordinates(others)[,2]), num(others$rainfall),
  err("Sph"), err("Exp"), err("Gau")), file = "reference/fixtures/rainfall.json")
