# The style of R/, by .lintr; fails where it finds something.
found <- lintr::lint_dir("R", relative_path = TRUE)
print(found)
if (length(found)) quit(status = 1)
cat("lintr finds nothing in R/.\n")
