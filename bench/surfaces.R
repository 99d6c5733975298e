# The same surfaces of the same points by gstat; prints JSON of seconds. Called by bench/surfaces.ts.
suppressMessages({library(sp); library(gstat)})
dir <- commandArgs(TRUE)[1]
load_points <- function(n) { d <- read.csv(file.path(dir, paste0(n, ".csv"))); coordinates(d) <- ~x+y; d }
grid <- function(cell) { g <- expand.grid(x = seq(cell / 2, 10000, cell), y = rev(seq(cell / 2, 10000, cell))); coordinates(g) <- ~x+y; g }
out <- list()
clock <- function(name, f) { t <- system.time(r <- f())[["elapsed"]]; out[[name]] <<- t; r }
a <- load_points("a"); b <- load_points("b"); c <- load_points("c")
m <- vgm(0.98, "Sph", 2000, 0.02)
g20 <- grid(20); g50 <- grid(50)
k <- clock("kriging, 500 points, 250 000 cells, with error", function() krige(z ~ 1, a, g20, m, debug.level = 0))
write(k$var1.pred[seq(1, length(k$var1.pred), by = 1000)], file.path(dir, "kriging.txt"), ncolumns = 1)
g10 <- grid(10)
i <- clock("inverse distance, 1 000 points, 1 000 000 cells", function() idw(z ~ 1, b, g10, idp = 2, debug.level = 0))
n <- clock("kriging, 16 nearest of 100 000, 40 000 cells", function() krige(z ~ 1, c, g50, m, nmax = 16, debug.level = 0))
j <- clock("inverse distance, 12 nearest of 100 000, 1 000 000 cells", function() idw(z ~ 1, c, g10, idp = 2, nmax = 12, debug.level = 0))
v <- clock("variogram of 1 000 points", function() fit.variogram(variogram(z ~ 1, b, cutoff = 3000, width = 200), m))
cat(paste0("{", paste(sprintf('"%s":%g', names(out), unlist(out)), collapse = ","), "}"))
