# What the command says of itself, and how shells complete it.

completion <- function(shell, env = parent.frame()) {
  run <- hylomath("completion", shell)
  expect_equal(run$status, 0)
  withr::local_tempfile(lines = run$out, .local_envir = env)
}

test_that("bash completes commands, options, columns of the table that is named, and files", {
  skip_if(Sys.which("bash") == "")
  withr::local_dir(withr::local_tempdir())
  writeLines("peak_c,\"load kg\",glaze", "k.csv")
  script <- completion("bash")
  offered <- function(...) {
    words <- c(...)
    code <- sprintf(
      "source %s; COMP_WORDS=(%s); COMP_CWORD=%d; _hylomath; printf '%%s\\n' \"${COMPREPLY[@]}\"", script,
      paste(shQuote(words), collapse = " "), length(words) - 1
    )
    system2("bash", c("--norc", "-c", shQuote(code)), stdout = TRUE)
  }
  expect_equal(offered("hylomath", "tra"), c("train", "transcribe"))
  expect_equal(offered("hylomath", "look", "k.csv", "--tar"), "--target")
  expect_equal(offered("hylomath", "look", "k.csv", "--target", ""), c("peak_c", "load kg", "glaze"))
  expect_equal(offered("hylomath", "look", "k"), "k.csv")
  for (verb in names(cli_verbs())) {
    expect_setequal(offered("hylomath", verb, "--"), grep("^--", flags_of(cli_verbs()[[verb]]), value = TRUE))
  }
})

test_that("the scripts for zsh and fish are ones that these shells can read", {
  shells <- Filter(function(shell) nzchar(Sys.which(shell)), c("zsh", "fish"))
  for (shell in shells) expect_equal(system2(shell, c("-n", completion(shell))), 0, info = shell)
  expect_equal(hylomath("completion", "cmd")$status, 2)
})

# A shell at a terminal, as somebody has it in front of them: what is typed, and what stands there then.
at_terminal <- function(shell, script, typed) {
  setup <- list(
    bash = list(c("--norc", "--noprofile", "-i"), "source %s"),
    zsh = list(c("-f", "-i"), "autoload -U compinit; compinit -u -D; source %s; compdef _hylomath hylomath"),
    fish = list(c("--no-config", "-i"), "source %s")
  )[[shell]]
  terminal <- processx::process$new(
    shell, setup[[1]], pty = TRUE, env = c("current", TERM = "xterm", PS1 = "$ "), wd = getwd()
  )
  on.exit(terminal$kill())
  seen <- ""
  prediction <- function(at_least = 0.3, at_most = 5) {
    Sys.sleep(at_least)
    for (i in seq_len(10 * at_most)) {
      new <- terminal$read_output()
      if (!nzchar(new)) return(seen)
      seen <<- paste0(seen, new)
      Sys.sleep(0.1)
    }
    seen
  }
  prediction(1)
  terminal$write_input(paste0(sprintf(setup[[2]], script), "\n"))
  prediction(1)
  for (keys in typed) {
    terminal$write_input(keys)
    prediction()
  }
  seen
}

# Names that are code for a shell: each would make a file `ran`.
hostile_names <- function(n) {
  code <- c(
    "$(touch ran)", "`touch ran`", ";touch ran;", "|touch ran|", "&touch ran&", ">ran", "\n>ran", "${x:=$(touch ran)}",
    "'$(touch ran)'", "\\$(touch ran)", "<(touch ran)", "(touch ran)", "!touch ran", "{a,$(touch ran)}",
    "*$(touch ran)",
    "-e$(touch ran)", "$((x[$(touch ran)]))", "$'\\x60touch ran\\x60'", "~$(touch ran)", "#$(touch ran)"
  )
  paste0(rep(code, length.out = n), c("", "a", " b", "=c")[(seq_len(n) - 1) %/% length(code) %% 4 + 1])
}

test_that("names of columns and files run nothing when they are completed", {
  skip_on_os("windows")
  hard <- nzchar(Sys.getenv("HYLOMATH_HARD"))
  skip_if_not_installed("processx")
  shells <- Filter(function(shell) nzchar(Sys.which(shell)), if (hard) c("bash", "zsh", "fish") else "bash")
  skip_if(length(shells) == 0)
  for (shell in shells) {
    script <- completion(shell)
    withr::local_dir(withr::local_tempdir())
    names <- hostile_names(if (hard) 200 else 20)
    writeLines(paste(c("peak_c", gsub("[\n,;]", "", names)), collapse = ","), "all.csv")
    for (name in names[!grepl("/", names)]) file.create(paste0(name, ".csv"))
    writeLines("$(touch ran)", "one.csv")
    seen <- at_terminal(shell, script, c(
      "hylomath look all.csv --target \t", "\t", "\x15", "hylomath look all.csv --target pe\t", "\x15",
      "hylomath look \t", "\t", "\x15", "hylomath look '$\t", "\t", "\x15",
      # a name that is put in place is quoted: the line runs without its code
      "hylomath look one.csv --target \t", "\x01: \x05\n"
    ))
    expect_match(seen, "peak_c", fixed = TRUE, info = shell)
    expect_false(file.exists("ran"), info = paste(shell, seen))
  }
})

test_that("a mistyped word is predicted with the one that is meant, and status 2", {
  wrong <- list(
    list(c("lok", "k.csv"), "no command `lok`. Did you mean `look`?"),
    list(c("look", "k.csv", "--tagret", "x"), "no option --tagret. Did you mean `--target`?"),
    list(c("train", "k.yml", "--checkpiont=x"), "no option --checkpiont. Did you mean `--checkpoint`?"),
    list(c("train", "-"), "takes no standard input"), list(c("look"), "takes TABLE.csv, not 0 arguments")
  )
  for (case in wrong) {
    run <- do.call(hylomath, as.list(case[[1]]))
    expect_equal(run$status, 2, info = case[[2]])
    expect_match(paste(run$err, collapse = " "), case[[2]], fixed = TRUE)
  }
})

test_that("a table can come through a pipe", {
  withr::local_dir(withr::local_tempdir())
  utils::write.csv(small_kilns(100), "k.csv", row.names = FALSE)
  command <- sprintf(
    "%s %s %s look - --target outcome", libraries, file.path(R.home("bin"), "Rscript"), shQuote(program)
  )
  piped <- system(sprintf("cat k.csv | env %s", command), intern = TRUE)
  expect_identical(piped, hylomath("look", "k.csv", "--target", "outcome")$out)
})

test_that("the overview groups all commands, and the manual has a page for each", {
  told <- hylomath("help")$out
  for (verb in c(names(cli_verbs()), "completion", "demo")) expect_match(told, sprintf("^  %s ", verb), all = FALSE)
  expect_match(told, "Exit status: 0 done, 1 the work failed, 2 the call was wrong.", fixed = TRUE, all = FALSE)
  expect_match(paste(hylomath("help", "watch")$out, collapse = " "), "3 look closer, 4 +retrain")
  folder <- withr::local_tempdir()
  suppressMessages(install_command(folder, manual = file.path(folder, "man1")))
  expect_setequal(dir(file.path(folder, "man1")), sprintf("hylomath-%s.1", names(cli_verbs())))
  skip_if(Sys.which("man") == "")
  page <- system2("man", c("-l", file.path(folder, "man1", "hylomath-train.1")), stdout = TRUE)
  expect_match(page, "--checkpoint FILE", all = FALSE)
})

test_that("what the starter leaves out for a quick start is there once there is work to do", {
  skip_if_not_installed("ggplot2")
  withr::local_dir(withr::local_tempdir())
  write_model(quick_model(epochs = 2), "k.hylo")
  drawn <- hylomath("appraise", "k.hylo", "--figures", "f", env = "R_DEFAULT_PACKAGES=NULL")
  expect_equal(drawn$status, 0, info = paste(drawn$err, collapse = " "))
  expect_true("roc.png" %in% dir("f"))
})

test_that("no colour is written where nobody sees it, or wants it", {
  withr::local_dir(withr::local_tempdir())
  write_model(quick_model(epochs = 2), "k.hylo")
  for (env in c("A=1", "NO_COLOR=1")) {
    run <- hylomath("appraise", "k.hylo", env = env)
    expect_false(any(grepl("\033", c(run$out, run$err), fixed = TRUE)))
  }
})

test_that("what can't be written is found before any work, and nothing takes an input's place", {
  withr::local_dir(withr::local_tempdir())
  utils::write.csv(small_kilns(200), "k.csv", row.names = FALSE)
  hylomath("brief", "k.csv", "-t", "outcome", "-o", "k.yml", "-q", "--set", "regimen.epochs=2")
  hylomath("train", "k.yml", "-o", "k.hylo", "--quick", "-q")
  before <- tools::md5sum(dir())
  missing <- list(
    c("folds", "k.yml", "-o", "no/x.csv"), c("folds", "k.yml", "--keep", "no/x"), c("sift", "k.yml", "-o", "no/x.yml"),
    c("vary", "k.yml", "units=2,4", "--figure", "no/x.png"), c("scout", "k.yml", "-o", "no/x.yml"),
    c("train", "k.yml", "-o", "no/x.hylo"), c("train", "k.yml", "--checkpoint", "no/x"),
    c("report", "k.hylo", "-o", "no/x.html"), c("watch", "k.hylo", "k.csv", "--report", "no/x.html")
  )
  for (words in missing) {
    run <- do.call(hylomath, as.list(words))
    expect_equal(run$status, 2, info = paste(words, collapse = " "))
    expect_match(paste(run$err, collapse = " "), "There is no folder `no`", info = paste(words, collapse = " "))
  }
  onto <- list(
    c("predict", "k.hylo", "k.csv", "-o", "k.csv"), c("folds", "k.yml", "-o", "./k.yml"),
    c("brief", "k.csv", "-t", "outcome", "-o", "k.csv"), c("report", "k.hylo", "k.csv", "-o", "k.csv"),
    c("importance", "k.hylo", "k.csv", "--figure", "k.hylo")
  )
  for (words in onto) expect_equal(do.call(hylomath, as.list(words))$status, 2, info = paste(words, collapse = " "))
  expect_identical(tools::md5sum(dir()), before)
})

test_that("what is written can go through a pipe, and what is read can come through one that the shell names", {
  hylomath <- hylomath_started
  withr::local_dir(withr::local_tempdir())
  withr::with_seed(1, {
    b <- brief(small_kilns(), target = "outcome") |> quick() |> regimen(epochs = 2)
    model <- train(b, progress = "none")
  })
  data.table::fwrite(small_kilns(), "k.csv")
  write_model(model, "k.hylo")
  piped <- list(
    list(c("appraise", "k.hylo"), "evaluated.csv"), list(c("transcribe", "k.hylo", "--to", "r"), "k.R"),
    list(c("brief", "k.csv", "-t", "outcome", "--set", "hold_out.seed=1", "--set", "regimen.seed=1"), "k.yml"),
    list(c("show", "k.hylo", "--weights"), "w.csv")
  )
  for (call in piped) {
    expect_equal(do.call(hylomath, as.list(c(call[[1]], "-o", call[[2]])))$status, 0)
    run <- do.call(hylomath, as.list(c(call[[1]], "-o", "-")))
    expect_identical(run$out, readLines(call[[2]]), info = call[[1]][1])
  }
  expect_equal(hylomath("appraise", "k.hylo", "-o", "-", "--json")$status, 2)
  skip_if(Sys.which("bash") == "" || !dir.exists("/dev/fd"))
  command <- sprintf(
    "env %s %s %s look <(cat k.csv) -t outcome 2> said", libraries, file.path(R.home("bin"), "Rscript"),
    shQuote(program)
  )
  seen <- system2("bash", c("-c", shQuote(command)), stdout = TRUE)
  expect_identical(seen, hylomath("look", "k.csv", "-t", "outcome")$out)
  expect_identical(readLines("said"), character())
})

test_that("a pipe that nobody writes to is refused and not waited for", {
  skip_on_os("windows")
  withr::local_dir(withr::local_tempdir())
  system("mkfifo pipe")
  data.table::fwrite(small_kilns(60), "k.csv")
  for (words in list(c("look", "pipe"), c("brief", "k.csv", "-t", "outcome", "-o", "pipe"))) {
    run <- do.call(hylomath, as.list(words))
    expect_match(run$err[1], "`pipe` is a pipe, not a file", fixed = TRUE)
  }
})
