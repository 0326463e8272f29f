# Other machines, as far as one can be made to look like several: an SSH server and a Slurm queue of this test's own on
# the loopback. They skip where they can't start.

started_server <- function(program, ..., log) {
  if (Sys.which(program) == "") testthat::skip(paste(program, "is not installed"))
  status <- system2(Sys.which(program), c(...), stdout = log, stderr = log)
  if (status != 0) testthat::skip(paste(program, "could not start here"))
}

stopped_server <- function(pid_file) {
  if (!file.exists(pid_file)) return()
  tools::pskill(as.integer(readLines(pid_file)[1]), tools::SIGTERM)
}

free_port <- function() httpuv::randomPort(47000L, 48999L)

# The nodes node-1 to node-3 are this machine, reached by SSH with a key of its own; their R finds the library that is
# tested. What is started by their names with `ssh` finds them: plans of future and the command's `--workers`.
local_ssh_nodes <- function(frame = parent.frame()) {
  skip_unless_hard()
  testthat::skip_if_not_installed("future")
  folder <- withr::local_tempdir("ssh", .local_envir = frame)
  at <- function(name) file.path(folder, name)
  for (key in c("host", "key")) system2("ssh-keygen", c("-q", "-t", "ed25519", "-N", "''", "-f", at(key)))
  file.copy(at("key.pub"), at("allowed"))
  dir.create("/run/sshd", showWarnings = FALSE)
  port <- free_port()
  writeLines(c(
    paste("Port", port), "ListenAddress 127.0.0.1", paste("HostKey", at("host")),
    paste("AuthorizedKeysFile", at("allowed")), "PasswordAuthentication no", "UsePAM no", "StrictModes no",
    "PermitRootLogin prohibit-password", "AllowTcpForwarding yes", paste("PidFile", at("pid")),
    sprintf("SetEnv R_LIBS=%s", paste(normalizePath(.libPaths()), collapse = ":"))
  ), at("sshd_config"))
  writeLines(c(
    "Host node-1 node-2 node-3", "  HostName 127.0.0.1", paste("  Port", port), paste("  IdentityFile", at("key")),
    paste("  UserKnownHostsFile", at("known")), "  StrictHostKeyChecking accept-new", "  LogLevel ERROR"
  ), at("config"))
  started_server("sshd", "-f", at("sshd_config"), "-E", at("log"), log = at("said"))
  withr::defer(stopped_server(at("pid")), envir = frame)
  how <- c("-F", at("config"))
  withr::local_options(parallelly.makeNodePSOCK.rshcmd = "ssh", parallelly.makeNodePSOCK.rshopts = how,
    .local_envir = frame
  )
  withr::local_envvar(
    R_PARALLELLY_MAKENODEPSOCK_RSHCMD = "ssh", R_PARALLELLY_MAKENODEPSOCK_RSHOPTS = paste(how, collapse = " "),
    .local_envir = frame
  )
}

# A Slurm queue whose one node is this machine; sbatch, squeue and scancel find it.
local_slurm <- function(frame = parent.frame()) {
  skip_unless_hard()
  testthat::skip_if_not_installed("future.batchtools")
  testthat::skip_if_not(identical(system("id -u", intern = TRUE), "0"), "Slurm's daemons are started by root")
  folder <- withr::local_tempdir("slurm", .local_envir = frame)
  at <- function(name) file.path(folder, name)
  for (name in c("state", "spool", "munge")) dir.create(at(name))
  Sys.chmod(c(folder, at("munge")), "711", use_umask = FALSE)
  writeBin(as.raw(sample(0:255, 1024, TRUE)), at("munge/key"))
  Sys.chmod(at("munge/key"), "400", use_umask = FALSE)
  started_server("munged", "--force", sprintf(
    "--%s=%s", c("key-file", "socket", "pid-file", "log-file", "seed-file"),
    at(c("munge/key", "munge/socket", "munge/pid", "munge/log", "munge/seed"))
  ), log = at("said"))
  withr::defer(stopped_server(at("munge/pid")), envir = frame)
  node <- sub("[.].*", "", Sys.info()[["nodename"]])
  writeLines(c(
    "ClusterName=skerrow", sprintf("SlurmctldHost=%s(127.0.0.1)", node), paste0("SlurmctldPort=", free_port()),
    paste0("SlurmdPort=", free_port()), "SlurmUser=root", "SlurmdUser=root", "AuthType=auth/munge",
    paste0("AuthInfo=socket=", at("munge/socket")), "CryptoType=crypto/munge",
    paste0("StateSaveLocation=", at("state")), paste0("SlurmdSpoolDir=", at("spool")),
    sprintf("%sPidFile=%s", c("Slurmctld", "Slurmd"), at(c("slurmctld.pid", "slurmd.pid"))),
    sprintf("%sLogFile=%s", c("Slurmctld", "Slurmd"), at(c("slurmctld.log", "slurmd.log"))),
    "ProctrackType=proctrack/pgid", "TaskPlugin=task/none", "SelectType=select/cons_tres",
    "SelectTypeParameters=CR_Core", "MpiDefault=none", "ReturnToService=2",
    sprintf("NodeName=%s NodeAddr=127.0.0.1 CPUs=%d State=UNKNOWN", node, parallel::detectCores()),
    "PartitionName=all Nodes=ALL Default=YES MaxTime=INFINITE State=UP"
  ), at("slurm.conf"))
  withr::local_envvar(SLURM_CONF = at("slurm.conf"), .local_envir = frame)
  for (daemon in c("slurmctld", "slurmd")) started_server(daemon, "-f", at("slurm.conf"), log = at("said"))
  withr::defer(system2("scontrol", "shutdown", stdout = FALSE, stderr = FALSE), envir = frame)
  until <- Sys.time() + 20
  while (!any(grepl("idle", suppressWarnings(system2("sinfo", stdout = TRUE, stderr = TRUE))))) {
    if (Sys.time() > until) testthat::skip("the Slurm queue has no node that is ready")
    Sys.sleep(0.2)
  }
  # R on the node finds the library that is tested; jobs inherit the environment
  withr::local_envvar(R_LIBS = paste(normalizePath(.libPaths()), collapse = ":"), .local_envir = frame)
  withr::local_dir(folder, .local_envir = frame)  # the queue's files lie here
}
