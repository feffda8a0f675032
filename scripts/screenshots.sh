#!/usr/bin/env bash
# Makes the pictures of docs/screenshots from the demo data: a real terminal on a virtual screen.
# Needs Xvfb, xterm and ImageMagick (Debian: apt-get install xvfb xterm imagemagick fonts-dejavu).
set -euo pipefail
cd "$(dirname "$0")/.."
root=$PWD
export PATH="$root/.venv/bin:$PATH"
work=$(mktemp -d)
trap 'kill "$screen" 2>/dev/null || true; rm -rf "$work"' EXIT
display=:${SCREENSHOT_DISPLAY:-97}
Xvfb "$display" -screen 0 1280x800x24 >/dev/null 2>&1 &
screen=$!
sleep 1
cd "$work"
boreotabula demo boreotabula-demo >/dev/null 2>&1

# shot NAME COMMAND [GROUND INK]: run a command in a terminal and keep a picture of it.
shot() {
  local name=$1 command=$2 ground=${3:-white} ink=${4:-black}
  rm -f "$work/done"
  cat >"$work/session.sh" <<EOF
cd "$work"
printf '\033[?25l\033[1m\$ %s\033[0m\n' '$command'
$command
touch "$work/done"
sleep 60
EOF
  DISPLAY=$display xterm -geometry 100x38+0+0 -fa 'DejaVu Sans Mono' -fs 12 -bg "$ground" -fg "$ink" \
    -b 8 -e bash "$work/session.sh" &
  local terminal=$!
  for _ in $(seq 60); do [ -e "$work/done" ] && break; sleep 1; done
  sleep 1
  # Without the edge of the window, and without the empty screen below.
  DISPLAY=$display import -window root png:- | convert - -gravity NorthWest -crop 1272x790+3+3 \
    +repage -trim +repage -trim -bordercolor "$ground" -border 12 "$root/docs/screenshots/$name.png"
  kill "$terminal"
  wait "$terminal" 2>/dev/null || true
}

shot demo 'boreotabula demo'
shot survey 'boreotabula survey boreotabula-demo/benches'
shot show 'boreotabula show boreotabula-demo/inbox/2026-04/lake_stock_Kaldvatn_2026-04.xlsx --layout boreotabula-demo/stock.toml --tab "*2"'
shot extract 'boreotabula extract boreotabula-demo/stock.toml -o stock.csv'
shot extract-dark 'boreotabula extract boreotabula-demo/stock.toml -o stock.csv --fresh' black gray90
shot draft 'boreotabula draft boreotabula-demo/benches'
shot again 'boreotabula draft --again boreotabula-demo/dispatch.toml'
shot trace 'boreotabula trace boreotabula-demo/stock.csv 1742'
shot headings 'boreotabula headings boreotabula-demo/dispatch.toml'
shot coverage 'boreotabula coverage boreotabula-demo/stock.csv --rows nursery --across month --expect boreotabula-demo/sites.csv'
shot crosstab 'boreotabula crosstab boreotabula-demo/stock.csv --rows nursery,species --across month --value seedlings'

# What a sender restates, and a marked copy (Debian: apt-get install libreoffice-calc-nogui poppler-utils).
boreotabula demo story --story >/dev/null 2>&1
shot compare 'boreotabula compare story/stock.csv --before --by nursery'
copy=lake_stock_Kaldvatn_2026-04
soffice --headless --convert-to pdf --outdir "$work" "story/returns/Kaldvatn/2026-04/$copy.xlsx" >/dev/null 2>&1
pages=(1)
for at in $(seq 2 9); do
  if pdftotext -f "$at" -l "$at" "$copy.pdf" - 2>/dev/null | grep -q 'ca. 120'; then pages+=("$at"); fi
done
for at in "${pages[@]}"; do
  pdftoppm -r 90 -f "$at" -l "$at" -png -singlefile "$copy.pdf" "marked-$at"
  convert "marked-$at.png" -trim -bordercolor white -border 24 "marked-$at.png"
done
convert $(printf 'marked-%s.png ' "${pages[@]}") -append -resize '1280x800>' "$root/docs/screenshots/marked.png"

ask=(crosstab boreotabula-demo/stock.csv --value seedlings --across month)
boreotabula "${ask[@]}" --rows nursery --chart "$root/docs/screenshots/chart-lines.png" --overwrite
boreotabula "${ask[@]}" --rows nursery,species,grade --chart "$root/docs/screenshots/chart-heat.png" --overwrite

# Pages, in a browser without a window (Debian: apt-get install chromium).
page() {
  chromium --headless --no-sandbox --disable-gpu --hide-scrollbars --no-first-run \
    --disable-background-networking --disable-sync --user-data-dir="$work/browser" \
    --window-size=1280,800 --screenshot="$root/docs/screenshots/$1.png" "file://$work/$2" \
    >/dev/null 2>&1
}
boreotabula extract boreotabula-demo/stock.toml -o boreotabula-demo/stock.csv -q --report run.html || true
page report run.html
boreotabula show boreotabula-demo/inbox/2026-04/lake_stock_Kaldvatn_2026-04.xlsx \
  --layout boreotabula-demo/stock.toml --tab "*2" --page roles.html
page roles 'roles.html#t0-E9'
