# The spelling of the help pages, the README and the documents, in British English; the words of the trade that no
# dictionary knows stand in tools/words.txt.
pages <- c(list.files("man", "[.]Rd$", full.names = TRUE))
texts <- c("README.md", "NEWS.md", "CONTRIBUTING.md", list.files("docs", "[.]md$", full.names = TRUE))
known <- readLines("tools/words.txt")
found <- spelling::spell_check_files(c(pages, texts), ignore = known, lang = "en_GB")
print(found)
if (nrow(found)) quit(status = 1)
cat("No word is spelled wrong.\n")
