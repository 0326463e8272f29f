# What a service tells of itself: its model, its description for programs, and a form for people.

served_pages <- function(model) {
  list(
    "/" = text_response(form_page(model, asks_service), "text/html"),
    "/model" = json_response(served_model(model)), "/openapi.json" = json_response(openapi_of(model))
  )
}

# Nothing of single rows.
served_model <- function(model) {
  target <- target_in(model)
  list(
    network = identity_of(model), target = I(target$columns), task = target$task,
    classes = if (!is.null(target$classes)) I(target$classes),
    columns = lapply(form_columns(model), function(column) {
      column[intersect(c("name", "type", "low", "high", "levels"), names(column))]
    }),
    wiring = wiring_text(model), parameters = all_parameters(model$predictor), version = model$version
  )
}

openapi_of <- function(model) {
  columns <- form_columns(model)
  schema_of <- function(column) {
    type <- switch(column$type, number = "number", flag = "boolean", "string")
    drop_nulls(list(
      type = I(c(type, "null")), format = if (column$type == "date") "date", description = column$told
    ))
  }
  row <- list(
    type = "object", properties = stats::setNames(lapply(columns, schema_of), vapply(columns, `[[`, "", "name")),
    required = I(vapply(columns, `[[`, "", "name"))
  )
  predictions <- prediction_names(target_in(model))
  numeric <- !has_classes(target_in(model)) | predictions != "prediction"
  prediction <- list(type = "object", properties = stats::setNames(
    lapply(numeric, function(n) list(type = I(c(if (n) "number" else "string", "null")))), predictions
  ))
  refers <- function(name) list("$ref" = paste0("#/components/schemas/", name))
  json <- function(schema) list("application/json" = list(schema = schema))
  error <- function(what) list(description = what, content = json(refers("problem")))
  parameter <- function(name, schema, told) list(name = name, "in" = "query", schema = schema, description = told)
  get <- function(what) list(get = list(summary = what, responses = list("200" = list(description = what))))
  list(
    openapi = "3.1.0",
    info = list(
      title = sprintf("A network that predicts %s", enumerate(target_in(model)$columns)), version = identity_of(model)
    ),
    paths = list(
      "/predict" = list(post = list(
        summary = "Predict rows",
        parameters = list(
          parameter("type", list(type = "string", enum = I(c("auto", prediction_types))), "What is predicted"),
          parameter("level", list(type = "number"), "The share of rows that an interval or set is to hold"),
          parameter("bad_cells", list(type = "string", enum = I(ways_with_bad_cells)), "What becomes of bad cells"),
          parameter("flags", list(type = "boolean"), "Whether what is unusual about each row is named")
        ),
        requestBody = list(required = TRUE, content = c(
          json(list(type = "object", properties = list(rows = list(type = "array", items = refers("row"))))),
          list("text/csv" = list(schema = list(type = "string")))
        )),
        responses = list(
          "200" = list(description = "The predictions, a row each", content = c(
            json(list(type = "object", properties = list(
              network = list(type = "string"), rule = list(type = "string"),
              predictions = list(type = "array", items = refers("prediction"))
            ))), list("text/csv" = list(schema = list(type = "string")))
          )),
          "413" = error("Too many bytes or rows"), "415" = error("Neither JSON nor CSV"),
          "422" = error("Rows that can't be predicted, and why"), "503" = error("Too much at a time, or too long")
        )
      )),
      "/model" = get("What the network is"), "/health" = get("Whether it is there"),
      "/counts" = get("Requests so far"), "/openapi.json" = get("This description")
    ),
    components = list(schemas = list(
      row = row, prediction = prediction, problem = list(type = "object", properties = list(
        error = list(type = "string"), try = list(type = "string")
      ), required = I("error"))
    ))
  )
}
