# Check values for spatial statistics: R's spdep and spatialreg on two open datasets of spData, Columbus (Anselin 1988) and North Carolina SIDS.
# Rscript reference/statistics/spatial.R   (Debian: r-cran-spdep r-cran-spatialreg r-cran-sf r-cran-spdata r-cran-lmtest r-cran-jsonlite)
# Writes reference/fixtures/columbus.geojson and reference/fixtures/spatial.json.
suppressMessages({
  library(sf)
  library(spdep)
  library(spatialreg)
  library(lmtest)
  library(jsonlite)
})
sf_use_s2(FALSE)
out <- "reference/fixtures/"

source_of <- st_read(system.file("shapes/columbus.shp", package = "spData"), quiet = TRUE)
st_crs(source_of) <- NA
keep <- source_of[, c("POLYID", "HOVAL", "INC", "CRIME", "DISCBD", "EW", "CP")]
invisible(file.remove(paste0(out, "columbus.geojson")))
st_write(keep, paste0(out, "columbus.geojson"), layer_options = c("COORDINATE_PRECISION=7", "RFC7946=NO"), quiet = TRUE)
col <- st_read(paste0(out, "columbus.geojson"), quiet = TRUE)
col <- st_set_crs(col, NA)
nc <- st_set_crs(st_read(paste0(out, "nc.geojson"), quiet = TRUE), NA)

lists <- function(nb) lapply(nb, function(v) I(as.integer(v[v > 0])))
htest <- function(t) list(estimate = unname(t$estimate[1]), expected = unname(t$estimate[2]), variance = unname(t$estimate[3]), z = unname(t$statistic))

xy <- suppressWarnings(st_coordinates(st_centroid(st_geometry(col))))
queen <- poly2nb(col, queen = TRUE)
rook <- poly2nb(col, queen = FALSE)
near <- knn2nb(knearneigh(xy, k = 4))
alone <- max(unlist(nbdists(knn2nb(knearneigh(xy, k = 1)), xy)))
band <- dnearneigh(xy, 0, alone * 1.0000001)
second <- nblag(queen, 2)[[2]]
W <- nb2listw(queen, style = "W")
B <- nb2listw(band, style = "B")
inverse <- nb2listw(band, glist = lapply(nbdists(band, xy), function(d) 1 / d), style = "B")
star <- nb2listw(include.self(band), style = "B")
K <- nb2listw(near, style = "W")
crime <- col$CRIME

set.seed(1)
perm <- localmoran_perm(crime, W, nsim = 9999)
gmc <- moran.mc(crime, W, nsim = 9999)
cmc <- geary.mc(crime, W, nsim = 9999)

columbus <- list(
  centroids = unname(as.list(as.data.frame(t(xy)))),
  queen = lists(queen), rook = lists(rook), nearest4 = lists(near), alone = alone, band = lists(band), second = lists(second),
  inverse = lapply(inverse$weights, function(w) unname(w)),
  moran = htest(moran.test(crime, W)), moranNormal = htest(moran.test(crime, W, randomisation = FALSE)),
  moranNearest = htest(moran.test(crime, K)),
  moranBinary = htest(moran.test(crime, B)),
  moranDraws = list(p = gmc$p.value, mean = mean(gmc$res[1:9999]), sd = sd(gmc$res[1:9999])),
  geary = htest(geary.test(crime, W)), gearyDrawsP = cmc$p.value,
  globalG = htest(globalG.test(crime, B)),
  localMoran = unname(localmoran(crime, W, mlvar = TRUE)[, "Ii"]),
  localMoranNearest = unname(localmoran(crime, K, mlvar = TRUE)[, "Ii"]),
  localMoranFolded = unname(perm[, "Pr(folded) Sim"]),
  localG = as.numeric(localG(crime, B)), localGStar = as.numeric(localG(crime, star)),
  localGRows = as.numeric(localG(crime, W)), localGStarRows = as.numeric(localG(crime, nb2listw(include.self(queen), style = "W")))
)

f <- CRIME ~ INC + HOVAL
ols <- lm(f, col)
s <- summary(ols)
n <- nrow(col)
X <- model.matrix(ols)
e <- residuals(ols)
m2 <- mean(e^2); m3 <- mean(e^3); m4 <- mean(e^4)
jb <- n * ((m3 / m2^1.5)^2 / 6 + (m4 / m2^2 - 3)^2 / 24)
Z <- cbind(1, X[, 2], X[, 3], X[, 2]^2, X[, 3]^2, X[, 2] * X[, 3])
white <- n * summary(lm(e^2 ~ Z - 1))$r.squared
white <- n * (1 - sum(residuals(lm(e^2 ~ Z - 1))^2) / sum((e^2 - mean(e^2))^2))
scaled <- apply(X, 2, function(v) v / sqrt(sum(v^2)))
sv <- svd(scaled)$d
test <- function(t) list(value = as.numeric(t$statistic), df = as.numeric(t$parameter), p = as.numeric(t$p.value))
lm_tests <- lm.LMtests(ols, W, test = "all")
mt <- lm.morantest(ols, W, alternative = "two.sided")
regress <- function(m) {
  su <- summary(m)
  table <- su$Coef
  lr <- LR1.Sarlm(m)
  bp <- bptest.Sarlm(m, studentize = FALSE)
  list(
    coefficients = unname(as.list(as.data.frame(t(table)))),
    parameter = unname(if (is.null(m$rho)) m$lambda else m$rho),
    se = unname(if (is.null(m$rho)) m$lambda.se else m$rho.se),
    logLikelihood = as.numeric(logLik(m)), aic = AIC(m), sigma2 = m$s2,
    likelihoodRatio = test(lr), breuschPagan = test(bp), fitted = unname(as.numeric(fitted(m))[1:5]), residual = unname(as.numeric(residuals(m))[1:5])
  )
}
tight <- list(tol.opt = 1e-12)
lag <- lagsarlm(f, col, W, method = "eigen", control = tight)
err <- errorsarlm(f, col, W, method = "eigen", control = tight)
lagK <- lagsarlm(f, col, K, method = "eigen", control = tight)
errK <- errorsarlm(f, col, K, method = "eigen", control = tight)
lagB <- lagsarlm(f, col, B, method = "eigen", control = tight)
rss <- function(m) sum(residuals(m)^2)
col$EAST <- col$EW
apart <- CRIME ~ 0 + factor(EAST) + factor(EAST):INC + factor(EAST):HOVAL
two <- lm(apart, col)
chow <- ((rss(ols) - rss(two)) / 3) / (rss(two) / (n - 6))
columbus$regression <- list(
  coefficients = unname(as.list(as.data.frame(t(s$coefficients)))),
  r2 = s$r.squared, sigma2 = s$sigma^2, logLikelihood = as.numeric(logLik(ols)), aic = AIC(ols),
  jarqueBera = jb, breuschPagan = test(bptest(ols, studentize = FALSE)), koenkerBassett = test(bptest(ols)), white = white,
  conditionNumber = max(sv) / min(sv), vif = 1 / (1 - summary(lm(INC ~ HOVAL, col))$r.squared),
  moran = list(estimate = unname(mt$estimate[1]), expected = unname(mt$estimate[2]), variance = unname(mt$estimate[3]), z = as.numeric(mt$statistic[1])),
  lm = lapply(lm_tests, test),
  lag = regress(lag), error = regress(err), lagNearest = regress(lagK), errorNearest = regress(errK), lagBand = regress(lagB),
  chow = list(value = chow, p = pf(chow, 3, n - 6, lower.tail = FALSE)),
  chowLag = 2 * as.numeric(logLik(lagsarlm(apart, col, W, method = "eigen", control = tight)) - logLik(lag)),
  chowError = 2 * as.numeric(logLik(errorsarlm(apart, col, W, method = "eigen", control = tight)) - logLik(err))
)

# The same in the order and with the neighbours that the published figures rest on (Anselin 1988), as spdep ships them.
old <- new.env()
data(oldcol, package = "spdep", envir = old)
P <- nb2listw(old$COL.nb, style = "W")
columbus$published <- list(
  neighbours = lists(old$COL.nb), CRIME = old$COL.OLD$CRIME, INC = old$COL.OLD$INC, HOVAL = old$COL.OLD$HOVAL,
  lag = regress(lagsarlm(f, old$COL.OLD, P, method = "eigen", control = tight)),
  error = regress(errorsarlm(f, old$COL.OLD, P, method = "eigen", control = tight))
)

qn <- poly2nb(nc, queen = TRUE)
rn <- poly2nb(nc, queen = FALSE)
Wn <- nb2listw(qn, style = "W", zero.policy = TRUE)
rate <- nc$SID74 / nc$BIR74 * 1000
eb <- EBest(nc$SID74, nc$BIR74)
# Towards the surroundings of each place, about the mean of those (spdep's usual form takes each neighbour about its own).
around <- sapply(seq_along(qn), function(i) {
  j <- c(i, qn[[i]])
  m <- sum(nc$SID74[j]) / sum(nc$BIR74[j])
  a <- max(0, weighted.mean((nc$SID74[j] / nc$BIR74[j] - m)^2, nc$BIR74[j]) - m / mean(nc$BIR74[j]))
  m + (nc$SID74[i] / nc$BIR74[i] - m) * a / (a + m / nc$BIR74[i])
})
ll <- suppressWarnings(st_coordinates(st_centroid(st_geometry(nc))))
north_carolina <- list(
  queen = lists(qn), rook = lists(rn), moran = htest(moran.test(rate, Wn)), geary = htest(geary.test(rate, Wn)),
  localMoran = unname(localmoran(rate, Wn, mlvar = TRUE)[, "Ii"]),
  raw = unname(eb$raw), global = unname(eb$estmm), local = around,
  nearest10 = lists(knn2nb(knearneigh(ll, k = 10, longlat = TRUE))),
  within60km = lists(dnearneigh(ll, 0, 60, longlat = TRUE))
)
write_json(list(columbus = columbus, northCarolina = north_carolina), paste0(out, "spatial.json"), digits = 10, auto_unbox = TRUE)
