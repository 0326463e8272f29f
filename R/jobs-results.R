# What can be wanted of a job: functions of the fit's spec and the fit.
job_results <- function() list(answers = fold_answers, loss = fold_loss, rises = fold_rises, teaching = fold_teaching)
