# Variogram map of the log zinc of the meuse data (Burrough and McDonnell; shipped with R's sp) by gstat: semivariance and pairs by the
# difference in x and y. Needs Debian's r-cran-sp and r-cran-gstat. Run from the project's root: Rscript reference/surface/variogram_map.R
suppressMessages({library(sp); library(gstat)})
data(meuse); m <- meuse; m$z <- log(m$zinc); coordinates(m) <- ~x+y
v <- variogram(z ~ 1, m, cutoff = 1005, width = 201, map = TRUE)
d <- as.data.frame(v$map)
num <- function(v) paste0("[", paste(ifelse(is.na(v), "null", sprintf("%.12g", v)), collapse = ","), "]")
cat(sprintf('{"package":"gstat %s","width":201,"cutoff":1005,"dx":%s,"dy":%s,"gamma":%s,"np":%s}\n', packageVersion("gstat"),
  num(d$dx), num(d$dy), num(d$var1), num(d$np.var1)), file = "reference/fixtures/variogram-map.json")
