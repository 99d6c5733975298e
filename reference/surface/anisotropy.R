# Kriging of the log zinc of the meuse data (Burrough and McDonnell; shipped with R's sp) with a range that is longer in one direction, by gstat:
# vgm(anis = c(angle of the longest range, clockwise from north; shortest over longest)). Needs Debian's r-cran-sp and r-cran-gstat. Run from the
# project's root: Rscript reference/surface/anisotropy.R
suppressMessages({library(sp); library(gstat)})
data(meuse); data(meuse.grid)
m <- meuse; m$z <- log(m$zinc); coordinates(m) <- ~x+y
g <- meuse.grid[seq(1, nrow(meuse.grid), by = 77), c("x", "y")]; coordinates(g) <- ~x+y
num <- function(v) paste0("[", paste(sprintf("%.12g", v), collapse = ","), "]")
a <- krige(z ~ 1, m, g, vgm(0.59, "Sph", 1200, 0.05, anis = c(30, 0.4)), debug.level = 0)
b <- krige(z ~ x + y, m, g, vgm(0.7, "Exp", 450, 0.02, anis = c(115, 0.7)), debug.level = 0)
cat(sprintf('{"package":"gstat %s","spherical30":[%s,%s],"drift115":[%s,%s]}\n', packageVersion("gstat"),
  num(a$var1.pred), num(a$var1.var), num(b$var1.pred), num(b$var1.var)), file = "reference/fixtures/anisotropy.json")
