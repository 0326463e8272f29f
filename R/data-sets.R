#' Firings at a tile works
#'
#' Made-up firings of the tile works on the island of Skerrow, simulated from a known rule: wet tiles that are heated
#' fast burst, a peak temperature away from what suits the glaze crazes, heavy loads soaked for long (or light ones for
#' short) warp. The gas pressure was not always read. The predicted column is `outcome`.
#'
#' @format A data frame with 4,000 rows:
#' \describe{
#'   \item{firing}{id of the firing}
#'   \item{fired_on}{date}
#'   \item{kiln}{Fulmar, Gannet or Petrel}
#'   \item{glaze}{ash, celadon, clear or tenmoku}
#'   \item{moisture_pct}{moisture of the tiles, percent}
#'   \item{peak_c}{peak temperature, degrees Celsius}
#'   \item{ramp_c_h}{rate of heating, degrees an hour}
#'   \item{soak_min}{minutes at the peak}
#'   \item{load_kg}{load, kilograms}
#'   \item{gas_mbar}{gas pressure, millibar, with missing values}
#'   \item{humidity_pct}{air humidity, percent}
#'   \item{outcome}{sound, crazed, warped or burst}
#' }
#' @eval ceiling_section("kilns")
"kilns"

#' Visits after a knee operation
#'
#' Made-up visits to the clinic on the island of Skerrow, several a patient, simulated from a known rule. A patient's
#' frailty is part of it and can't be seen; C-reactive protein is measured when the staff is worried, so its absence
#' is informative. The predicted column is `returned`: another visit, unplanned, within 30 days.
#'
#' @format A data frame with 2,500 rows:
#' \describe{
#'   \item{visit}{id of the visit}
#'   \item{patient}{id of the patient, whose rows belong together}
#'   \item{visited_on}{date}
#'   \item{days_since_op}{days since the operation}
#'   \item{age}{years}
#'   \item{sex}{female or male}
#'   \item{bmi}{body mass index, kilograms a square metre}
#'   \item{lives_alone}{yes or no}
#'   \item{physio}{physiotherapy: none, monthly or weekly}
#'   \item{pain}{0 to 10}
#'   \item{flexion_deg}{how far the knee bends, degrees}
#'   \item{crp_mg_l}{C-reactive protein, milligrams a litre, with missing values}
#'   \item{returned}{yes or no}
#' }
#' @eval ceiling_section("recovery")
"recovery"

#' Ferry departures over two years
#'
#' Made-up departures from the island of Skerrow in order of time, simulated from a known rule with a summer season that
#' differs by route, commuters on working days and outings on free ones. The predicted column is `passengers`.
#'
#' @format A data frame with 6,000 rows:
#' \describe{
#'   \item{departure}{id of the departure}
#'   \item{sails_on}{date}
#'   \item{route}{Ayre, Holm or Sound}
#'   \item{hour}{hour of the day, 6 to 21}
#'   \item{weather}{calm, breezy or gale}
#'   \item{holiday}{yes or no}
#'   \item{fare}{price of a ticket}
#'   \item{passengers}{number of passengers}
#' }
#' @eval ceiling_section("crossings")
"crossings"
