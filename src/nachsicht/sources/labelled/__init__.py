"""Files of statistical packages, whose variables and values have labels: SPSS, Stata, SAS."""
