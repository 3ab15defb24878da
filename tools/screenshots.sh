#!/usr/bin/env bash
# Makes docs/screenshots/ anew from the demo project. Needs the installed command, and Xvfb, xterm, imagemagick and chromium.
set -euo pipefail
shots=$(cd "$(dirname "$0")/.." && pwd)/docs/screenshots
work=$(mktemp -d)
export DISPLAY=:97
Xvfb $DISPLAY -screen 0 2000x2400x24 >/dev/null 2>&1 &
screen=$!
trap 'kill $screen; rm -rf "$work"' EXIT
mkdir -p "$shots"
sleep 5

# terminal NAME COLUMNS ROWS COMMAND: what a command prints, in a terminal window that is as large as it needs.
terminal() {
  rm -f "$work/done"
  printf '%s\n' "printf '\$ %s\n' '$4'" "$4" "touch $work/done" "sleep 60" > "$work/run"
  (cd "$work/tide-clock" 2>/dev/null || cd "$work"
   exec xterm -title "$1" -fa 'DejaVu Sans Mono' -fs 11 -bg '#fbfaf7' -fg '#1d2429' -geometry "$2x$3+0+0" +sb -b 10 \
     -e bash "$work/run") &
  local window=$!
  for _ in $(seq 600); do [ -e "$work/done" ] && break; sleep 0.2; done
  sleep 1
  import -window "$(xwininfo -root -tree | sed -n "s/^ *\(0x[0-9a-f]*\) \"$1\".*/\1/p" | head -n 1)" "$shots/$1.png"
  kill "$window"
  wait "$window" 2>/dev/null || true
}

terminal demo 104 122 "clockpigeon demo --keep tide-clock"
terminal compare 92 36 "clockpigeon compare --by device --engine sundew"
terminal forecast 92 48 "clockpigeon forecast --engine sundew --shots gears,gallery"
terminal choose 84 74 "clockpigeon choose film --deadline 20h; clockpigeon next film --deadline 20h"
terminal bill 104 38 "clockpigeon sites; clockpigeon bill gears-saltmill; clockpigeon bill basin-highgarret"
terminal check 100 53 "clockpigeon check gears --engine sundew; clockpigeon check basin --engine sundew --site quayside"
terminal backtest 110 24 "clockpigeon backtest"
terminal limit 100 50 "clockpigeon limit gears-review --noise 8% --site attic --sheet sheet.png --figure noise.png"
# A job at a stand-in that misbehaves, on a clock forty times as fast: the live view while a node is frozen and the money
# is gone, and later the figure of what was believed when.
(cd "$work/tide-clock"
 export CLOCKPIGEON_TOKEN=token-of-the-pictures
 echo 'service: {address: "http://127.0.0.1:8491/saltmill", token: {env: CLOCKPIGEON_TOKEN}}' >> sites/saltmill.yaml
 clockpigeon choose --engine sundew --shots gears --only saltmill,patient,nodes=10 --deadline 3h --budget '31 EUR' \
   --record night-1 >/dev/null 2>&1
 clockpigeon standin saltmill --port 8491 --speed 40 --for 10min \
   --misbehave 'freeze=3@20min:40min,late-cap=10min,prices=1.6' > standin.txt 2>&1 &
 sleep 5
 eval "$(grep 'export CLOCKPIGEON_NOW' standin.txt)"
 clockpigeon place night-1 --yes --despite quote,check,changed >/dev/null 2>&1
 xterm -title live -fa 'DejaVu Sans Mono' -fs 10 -bg '#fbfaf7' -fg '#1d2429' -geometry 100x44+0+0 +sb -b 10 \
   -e clockpigeon watch night-1 &
 live=$!
 sleep 85
 import -window "$(xwininfo -root -tree | sed -n 's/^ *\(0x[0-9a-f]*\) "live".*/\1/p' | head -n 1)" "$shots/watch.png"
 kill "$live")
mkdir -p "$work/tide-clock/bin"
cp "$(Rscript -e 'cat(system.file("examples/quern/quern", package = "clockpigeon"))')" "$work/tide-clock/bin/"
cp "$(Rscript -e 'cat(system.file("examples/quern/yard.discs", package = "clockpigeon"))')" "$work/tide-clock/"
cat > "$work/tide-clock/describe" <<'END'
clockpigeon engine new quern --command "bin/quern {scene} -q {log2(samples)} -n {frame} -w {width} -h {height} -to {stem}" \
  --ask-version=-about --output-as "{stem}{frame:03}.png"
END
terminal engine 100 42 "sh describe; clockpigeon engine try quern yard.discs"
cd "$work/tide-clock"
cp choice.png "$shots/"
# A week of five jobs, in a project that has no others.
clockpigeon demo --keep "$work/week" >/dev/null 2>&1
(cd "$work/week"
 job() {
   printf '%s\n' "job: $1" "shots: [$2]" "engines: [sundew]" "deadline: $3" "budget: $4 EUR" > "jobs/$1.yaml"
 }
 sed -i 's/^deadline:.*/deadline: 60h/' jobs/film.yaml
 job poster basin 6h 60
 job cut gears 9h 60
 job trailer gallery 34h 40
 job teaser gears 30h 40
 CLOCKPIGEON_NOW=2026-11-30T09:00:00Z clockpigeon week --figure "$shots/week.png" >/dev/null 2>&1) || true
chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking \
  --disable-component-update --disable-sync --user-data-dir="$work/profile" --hide-scrollbars --window-size=1280,2500 \
  --screenshot="$shots/report.png" "file://$PWD/report.html" >/dev/null 2>&1
engine=$(Rscript -e 'cat(system.file("bin", "pebble", package = "clockpigeon"))')
# Frames of which some are damaged, verified.
mkdir -p back
"$engine" --scene gallery --frame 401-430 --size 320x180 --samples 12 --threads 2 --out back/gallery.png >/dev/null
Rscript -e 'at <- function(f) sprintf("back/gallery-%04d.png", f)
  change <- function(f, how) png::writePNG(how(png::readPNG(at(f))), at(f))
  change(406, function(x) { x[101:160, 129:256, ] <- 0; x })
  change(412, function(x) { x[41:80, 201:250, ] <- rep(c(0.7, 0, 0.7), each = 2000); x })
  change(418, function(x) { x[91:180, , ] <- x[91:180, c(13:320, 1:12), ]; x })
  change(424, function(x) { x[61:110, , ] <- pmin(pmax(x[61:110, , ] + rnorm(48000, sd = 0.12), 0), 1); x })'
clockpigeon verify back --sheet "$shots/suspects.png" >/dev/null || true
# The whole circle: a settled bill.
clockpigeon demo --circle --keep circle >/dev/null
(cd circle && clockpigeon settle cut-1 --figure "$shots/settle.png") >/dev/null || true
# The page, as its tests see it.
PAGE_SHOTS="$shots" make -C "$shots/../.." page-test >/dev/null
