# The Maunga Whau grid that ships with R (datasets::volcano, 87 x 61 elevations in m, 10 m cells), one row a line.
write.table(volcano, "reference/fixtures/volcano.csv", sep = ",", row.names = FALSE, col.names = FALSE)
