# Variogram, fit, kriging, inverse distance and cross-validation of the zinc of the meuse data (Burrough and McDonnell; shipped with R's sp)
# by gstat. Needs Debian's r-cran-sp and r-cran-gstat. Run from the project's root: Rscript reference/surface/meuse.R
suppressMessages({library(sp); library(gstat)})
data(meuse); data(meuse.grid)
m <- meuse; m$z <- log(m$zinc); coordinates(m) <- ~x+y
g <- meuse.grid[seq(1, nrow(meuse.grid), by = 77), c("x", "y")]; coordinates(g) <- ~x+y
num <- function(v) paste0("[", paste(ifelse(is.na(v), "null", sprintf("%.12g", v)), collapse = ","), "]")
v <- variogram(z ~ 1, m)
d45 <- variogram(z ~ 1, m, alpha = 45, tol.hor = 22.5, cutoff = 1500, width = 100)
fit <- function(model) { f <- fit.variogram(v, vgm(0.6, model, 500, 0.05)); c(f$psill[1], sum(f$psill), f$range[2]) }
ok <- function(model, ...) { k <- krige(z ~ 1, m, g, model, debug.level = 0, ...); list(k$var1.pred, k$var1.var) }
sph <- vgm(0.59, "Sph", 897, 0.05); exp1 <- vgm(0.7, "Exp", 450, 0.02); gau <- vgm(0.5, "Gau", 400, 0.12)
a <- ok(sph); b <- ok(exp1); c1 <- ok(gau); near <- ok(sph, nmax = 12)
uk <- krige(z ~ x + y, m, g, sph, debug.level = 0)
i2 <- idw(z ~ 1, m, g, idp = 2, debug.level = 0); i3 <- idw(z ~ 1, m, g, idp = 3, nmax = 8, debug.level = 0)
cv <- krige.cv(z ~ 1, m, sph, verbose = FALSE); cvi <- krige.cv(z ~ 1, m, set = list(idp = 2), verbose = FALSE)
cat(sprintf('{"package":"gstat %s","x":%s,"y":%s,"z":%s,"gx":%s,"gy":%s,"variogram":{"np":%s,"dist":%s,"gamma":%s},"direction45":{"np":%s,"dist":%s,"gamma":%s},"fit":{"spherical":%s,"exponential":%s,"gaussian":%s},"spherical":[%s,%s],"exponential":[%s,%s],"gaussian":[%s,%s],"nearest12":[%s,%s],"drift":[%s,%s],"idw2":%s,"idw3near8":%s,"cvKriging":%s,"cvIdw":%s}\n',
  packageVersion("gstat"), num(coordinates(m)[,1]), num(coordinates(m)[,2]), num(m$z), num(coordinates(g)[,1]), num(coordinates(g)[,2]),
  num(v$np), num(v$dist), num(v$gamma), num(d45$np), num(d45$dist), num(d45$gamma), num(fit("Sph")), num(fit("Exp")), num(fit("Gau")),
  num(a[[1]]), num(a[[2]]), num(b[[1]]), num(b[[2]]), num(c1[[1]]), num(c1[[2]]), num(near[[1]]), num(near[[2]]), num(uk$var1.pred), num(uk$var1.var),
  num(i2$var1.pred), num(i3$var1.pred), num(cv$residual), num(cvi$residual)), file = "reference/fixtures/meuse.json")
