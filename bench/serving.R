# The service under load: 200 clients at a time on this machine, what they wait and whether any gets an error, against
# what the R code predicts alone; 10,000 mutated bodies, of which none may end in a fault of the service's own;
# and whether its memory grows under load. Needs Node for the clients.
# `Rscript bench/serving.R [seconds of load]`, 600 if nothing is said.
seconds <- as.numeric(c(commandArgs(TRUE), 600)[1])
library(hylomath)
folder <- tempfile("serving-")
dir.create(folder)
path <- function(name) file.path(folder, name)
set.seed(1)
model <- train(quick(brief(kilns, target = "outcome")), progress = "none")
write_model(model, path("kilns.hylo"))

clients <- "
const http = require('http'), fs = require('fs');
const [, , port, what, amount, bodyFile] = process.argv;
const body = fs.readFileSync(bodyFile), agent = new http.Agent({ keepAlive: true, maxSockets: 200 });
function ask(data) {
  const began = process.hrtime.bigint();
  return new Promise((done) => {
    const request = http.request({ port, path: '/predict', method: 'POST', agent,
      headers: { 'Content-Type': 'application/json', 'Content-Length': data.length } }, (response) => {
      let text = '';
      response.on('data', (part) => { text += part; });
      const ms = () => Number(process.hrtime.bigint() - began) / 1e6;
      response.on('end', () => done({ status: response.statusCode, text, ms: ms() }));
    });
    request.on('error', (e) => done({ status: 0, text: e.message, ms: 0 }));
    request.end(data);
  });
}
let seed = 7;
const put = ['{', '[', '\"', ',', 'null', '1e999', '\\\\u0000'];
const random = (n) => { seed = (seed * 1103515245 + 12345) % 2147483648; return Math.floor(seed / 2147483648 * n); };
function mutated() {
  const kinds = 1 + random(3);
  let data = Buffer.from(body);
  for (let k = 0; k < kinds; k++) {
    const at = random(data.length);
    switch (random(5)) {
      case 0: data[at] = random(256); break;
      case 1: data = data.subarray(0, at); break;
      case 2: data = Buffer.concat([data.subarray(0, at), data.subarray(at + 1 + random(9))]); break;
      case 3:
        data = Buffer.concat([data.subarray(0, at), Buffer.from(put[random(put.length)]), data.subarray(at)]);
        break;
      default: data = Buffer.concat([data.subarray(0, at), data.subarray(random(data.length))]);
    }
    if (data.length === 0) data = Buffer.from(' ');
  }
  return data;
}
async function main() {
  const times = [], statuses = {}, began = Date.now();
  let left = what === 'load' ? Infinity : Number(amount), silent = 0;
  const more = () => (what === 'load' ? Date.now() - began < 1000 * amount : left-- > 0);
  async function client() {
    while (more()) {
      const prediction = await ask(what === 'mutate' ? mutated() : body);
      statuses[response.status] = (statuses[response.status] || 0) + 1;
      times.push(prediction.ms);
      if (response.status >= 400 && response.status < 500 && !/\"error\":\"[A-Z`].{8,}/.test(response.text)) silent++;
    }
  }
  await Promise.all(Array.from({ length: 200 }, client));
  times.sort((a, b) => a - b);
  const at = (share) => times[Math.min(times.length - 1, Math.floor(share * times.length))].toFixed(0);
  console.log(JSON.stringify(statuses), `without a message: ${silent};`,
    `half within ${at(0.5)} ms, p99 ${at(0.99)} ms;`,
    `${(times.length / (Date.now() - began) * 1000).toFixed(0)} a second`);
  process.exit(0);
}
main();
"
writeLines(clients, path("clients.js"))
row <- kilns[1, names(kilns) != "outcome"]
row$fired_on <- as.character(row$fired_on)
body <- as.character(jsonlite::toJSON(list(rows = row), digits = NA, na = "null"))
writeLines(body, path("body.json"), sep = "")

# what R does of it, without a socket
inside <- asNamespace("hylomath")
service <- list(
  model = model, identity = inside$identity_of(model), pages = list(), counts = inside$new_counts(),
  limits = list(bytes = 1e7, rows = 1e5, seconds = 30, waiting = 256)
)
request <- list(
  REQUEST_METHOD = "POST", PATH_INFO = "/predict", HTTP_CONTENT_TYPE = "application/json",
  rook.input = list(read = function() charToRaw(body))
)
took <- system.time(for (i in 1:300) inside$respond(request, service))[[3]]
cat(sprintf("R alone: %.0f requests of a row a second\n", 300 / took))

port <- httpuv::randomPort()
process <- callr::r_bg(function(file, port) {
  hylomath::serve_model(hylomath::read_model(file), port = port)
}, list(path("kilns.hylo"), port), supervise = TRUE)
well <- function() suppressWarnings(readLines(sprintf("http://127.0.0.1:%d/health", port), warn = FALSE))
while (inherits(try(well(), silent = TRUE), "try-error")) Sys.sleep(0.2)
memory <- function() {
  status <- readLines(sprintf("/proc/%d/status", process$get_pid()))
  as.numeric(gsub("[^0-9]", "", grep("VmRSS", status, value = TRUE))) / 1024
}
run <- function(what, amount) {
  cat(what, amount, ": ")
  system2("node", c(path("clients.js"), port, what, amount, path("body.json")))
}
run("ask", 20000)
run("mutate", 10000)
first <- memory()
run("load", seconds)
cat(sprintf("memory: %.0f MiB before the load, %.0f behind it; %s\n", first, memory(), if (process$is_alive()) {
  "it is up"
} else {
  "IT IS DOWN"
}))
process$signal(15L)
unlink(folder, recursive = TRUE)
