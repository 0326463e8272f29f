#!/bin/sh
# Refreshes docs/screenshots/ from the demo data. Needs Xvfb, xterm, xdotool, ImageMagick's import and Chromium; run it
# from the project's root: tools/screenshots.sh
set -eu
shots=$PWD/docs/screenshots
folder=$(mktemp -d)
trap 'rm -rf "$folder"; kill $xvfb 2>/dev/null || true' EXIT
Xvfb :77 -screen 0 1280x800x24 > /dev/null 2>&1 &
xvfb=$!
export DISPLAY=:77
sleep 1
here=$PWD
R_LIBS=$PWD/.build/library Rscript -e 'hylomath::install_command(commandArgs(TRUE))' "$folder/bin" 2> /dev/null
PATH="$folder/bin:$PATH"
export PATH

# terminal NAME COMMAND: runs a command in a terminal window and keeps the picture of what stands there at the end
terminal() {
  printf '%s\n' '#!/bin/sh' "cd $folder" "$2" "touch $folder/done-$1" "sleep 30" > "$folder/run-$1"
  chmod +x "$folder/run-$1"
  xterm -fa "DejaVu Sans Mono" -fs 11 -geometry 138x41+0+0 -bg "#FBFAF7" -fg "#22303F" -e "$folder/run-$1" &
  window=$!
  for _ in $(seq 400); do [ -e "$folder/done-$1" ] && break; sleep 0.5; done
  sleep 1
  import -window root "$shots/$1.png"
  kill $window
}

page() { # page NAME HTML
  chromium --headless --no-sandbox --disable-gpu --no-first-run --disable-background-networking --disable-sync \
    --user-data-dir="$folder/chromium" --window-size=1280,800 --hide-scrollbars \
    --screenshot="$shots/$1.png" "file://$2" > /dev/null 2>&1
}

terminal demo "hylomath demo -o demo"
cp "$folder/demo/kilns-figures/curves.png" "$shots/curves.png"
cp "$folder/demo/kilns-figures/confusion.png" "$shots/confusion.png"
cp "$folder/demo/recovery-figures/calibration.png" "$shots/calibration.png"
for figure in importance effect contributions; do cp "$folder/demo/kilns-figures/$figure.png" "$shots"; done
cp "$folder/demo/crossings-figures/fit.png" "$shots/fit.png"
terminal appraisal "cd demo; hylomath train recovery.yml -o even.hylo -q --set regimen.class_weights=even; clear
hylomath appraise even.hylo"
R_LIBS=.build/library Rscript -e 'library(hylomath)
  set.seed(1)
  m <- train(wire(brief(crossings, target = "passengers"), "5 tanh"), progress = "none")
  write_figure(plot_network(m), commandArgs(TRUE))' "$shots/network.png"
(cd "$folder/demo" && hylomath scout kilns.yml layers=1..3 units=8..64 activation=relu,tanh,elu \
  learning_rate=1e-3..0.02 --budget 24 --keep shot.scout -o best.yml --figures search > /dev/null)
cp "$folder/demo/search/settings.png" "$shots/search.png"
R_LIBS=.build/library Rscript -e 'library(hylomath)
  set.seed(1)
  s <- sift(brief(kilns, target = "outcome"), progress = "none")
  write_figure(plot_sifting(s), commandArgs(TRUE))' "$shots/sifting.png"
terminal look "hylomath look demo/kilns.csv --target outcome
R_LIBS=$here/.build/library Rscript -e 'hylomath::look(hylomath::recovery, target = \"returned\")'"
R_LIBS=.build/library Rscript -e 'library(hylomath)
  write_figure(plot_pairs(kilns, "outcome"), commandArgs(TRUE))' "$shots/pairs.png"
# needs puppeteer-core: npm install --prefix .build puppeteer-core
(cd "$folder" && hylomath desk --folder desk 2> address & echo $! > "$folder/desk-pid"; wait) &
for _ in $(seq 100); do grep -q token= "$folder/address" 2> /dev/null && break; sleep 0.3; done
node tests/testthat/desk/journey.js "$(grep -o 'http://.*' "$folder/address")" recovery returned "$folder" > /dev/null
cp "$folder/verdict.png" "$shots/desk.png"
kill "$(cat "$folder/desk-pid")"
terminal progress "cd demo; hylomath train kilns.yml -o slow.hylo --quick --set regimen.epochs=20000 \
  --set regimen.stop=none \
  --set 'wiring=64 relu > 32 relu' & sleep 7; touch $folder/done-progress; sleep 3; kill %1"
R_LIBS=.build/library Rscript -e 'library(hylomath)
  set.seed(1)
  words <- commandArgs(TRUE)
  old <- kilns[order(kilns$fired_on), ][1:3000, ]
  model <- brief(old, target = "outcome") |> set_columns(drop = fired_on) |> quick() |> train(progress = "none")
  writeLines(transcribe(model, "page"), words[1])
  newer <- transform(kilns[order(kilns$fired_on), ][3001:4000, ], peak_c = peak_c + 6)
  write_figure(plot_watch(watch_model(model, newer)), words[2])' "$folder/form.html" "$shots/watch.png"
page form "$folder/form.html"
page report "$folder/demo/kilns.html"
