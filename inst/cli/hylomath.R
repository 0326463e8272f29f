# The command `hylomath`; see ?hylomath::run_command and ?hylomath::install_command.
hylomath::run_command()
