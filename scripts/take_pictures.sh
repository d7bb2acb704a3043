#!/usr/bin/env bash
# Take the pictures in docs/screenshots again, from the demo's job. Needs Chromium, Xvfb, xterm and ImageMagick's import.
set -euo pipefail
root=$(cd "$(dirname "$0")/.." && pwd)
work=$(mktemp -d)
trap 'kill "${screen:-}" 2>/dev/null || true; rm -rf "$work"' EXIT
export PATH="$root/.venv/bin:$PATH" DISPLAY=:97
shots="$root/docs/screenshots"
cd "$work"

page() { # page FILE.html PICTURE [HEIGHT]
    chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking \
        --disable-component-update --disable-sync --hide-scrollbars --user-data-dir="$work/browser" \
        --window-size="1280,${3:-800}" --screenshot="$shots/$2" "file://$work/$1" >/dev/null 2>&1
}

terminal() { # terminal PICTURE ROWS COMMAND: run a command in a terminal window and take its picture
    cat >"$work/session.sh" <<END
cd "$work"; clear; printf '\\033[2m\$ %s\\033[0m\\n' "$3"
$3
touch "$work/done"; sleep 30
END
    rm -f "$work/done"
    xterm -fa 'DejaVu Sans Mono' -fs 10.5 -geometry "124x$2+0+0" -bg '#FBFAF7' -fg '#27343A' -xrm 'XTerm*internalBorder: 14' \
        -xrm 'XTerm*color1: #A6402F' -xrm 'XTerm*color3: #9A7416' -xrm 'XTerm*colorBD: #2F5D7C' -xrm 'XTerm*boldMode: true' \
        +sb -e bash "$work/session.sh" &
    local window=$!
    for _ in $(seq 500); do [ -e "$work/done" ] && break; sleep 0.2; done
    sleep 1
    import -window "$(xdotool search --pid "$window" | tail -1)" "$shots/$1" 2>/dev/null || import -window root "$shots/$1"
    kill "$window" 2>/dev/null || true
    wait "$window" 2>/dev/null || true
}

Xvfb $DISPLAY -screen 0 1280x1200x24 >/dev/null 2>&1 &
screen=$!
sleep 1

terminal demo.png 66 "tinquire demo"
pack="larkfold/out/2026-10/Linen pack 2026-10.xlsx"
for sheet in Cover Depots; do
    name=$(echo "$sheet" | tr 'A-Z ' 'a-z-')
    tinquire print "$pack" --to "$name.html" --sheet "$sheet" --rows 34 >/dev/null
done
page cover.html pack-cover.png 960
page depots.html pack-depots.png
tinquire print "larkfold/out/2026-10/Dashboard 2026-10.xlsx" --to dashboard.html --sheet Dashboard >/dev/null
page dashboard.html dashboard.png 980
tinquire print "larkfold/out/2026-10/Depot view 2026-10.xlsx" --sheet View --to "$shots/depot-view.png" --dpi 88 >/dev/null
tinquire print "larkfold/out/2026-10/Letter to the board 2026-10.docx" --to "$shots/letter.png" --dpi 88 >/dev/null
tinquire run larkfold/docket.toml --period 2026-11 >/dev/null
cp larkfold/out/2026-11/Proof*.html proof.html
page proof.html proof.png 1000
# A pair of sheets, and what was learned from them, side by side.
tinquire learn larkfold/learn/before.xlsx larkfold/learn/after.xlsx --out learned.toml >/dev/null
for state in before after; do
    tinquire print "larkfold/learn/$state.xlsx" --area A1:H17 --landscape --to "$state.png" --dpi 120 >/dev/null
    convert "$state.png" -trim -bordercolor white -border 8 "$state.png"
done
{
    echo '<body style="margin:18px;background:#FBFAF7;color:#27343A;font:13px DejaVu Sans"><div style="display:flex;gap:24px">'
    echo '<div style="width:760px"><b>before.xlsx</b><br><img src="before.png" style="width:100%;margin:6px 0 18px"><br>'
    echo '<b>after.xlsx</b>, tidied by hand<br><img src="after.png" style="width:100%;margin-top:6px"></div>'
    echo '<div><b>learned.toml</b><pre style="font:11px/1.32 DejaVu Sans Mono;white-space:pre-wrap;width:430px">'
    sed -n '/^\[\[amend/,$p' learned.toml | head -55 | sed 's/&/\&amp;/g; s/</\&lt;/g'
    echo '</pre></div></div></body>'
} >learn.html
page learn.html learn.png 850

terminal show.png 49 "tinquire show '$pack' --rows 6 --sheet Cover --sheet Charges --sheet 'By depot and band'"

terminal recalc.png 22 "tinquire recalc '$pack' --set 'Charges!G5=100' --check"
terminal trace.png 29 "tinquire trace '$pack' 'Cover!E19' --to-data --rows 8"
cp "$pack" pack.xlsx
tinquire chart pack.xlsx --table Charges --labels Depot --across Band --sum Charge --stack stacked --values --format '¤#,##0' \
    --title "Charged by depot and band" --style larkfold/house.toml --size 170x100 --out "$work/chart.png" >/dev/null
cp "$work/chart.png" "$shots/chart.png"
cp larkfold/lists/customers.xlsx larkfold/sources/2026-10/pickups-harbour.xlsx .
terminal pivot.png 25 "tinquire pivot pack.xlsx --sheet Charges --rows Depot Item --columns Band --sum Charge --top Item=2 --rest Others --subtotals below"
terminal match.png 17 "tinquire match customers.xlsx pickups-harbour.xlsx --on 'Number=Customer no' --bring Pieces --repeated sum --check"
terminal amend.png 33 "tinquire amend larkfold/sources/2026-10 --with larkfold/amendments.toml --list"
cp "$pack" before.xlsx
python - "$work" <<'END'
# A colleague's version of the pack: two rows more, one less, a rate corrected, the ledger's sum typed wrongly.
import sys
from pathlib import Path
from tinquire.workbook import Workbook
from tinquire.workbook.edit import rows_columns
from tinquire.workbook.calc.recalculate import recalculate
book = Workbook.open(Path(sys.argv[1]) / "before.xlsx")
rows_columns.delete_rows(book, "Charges", 38)
charges, cover = book.sheet("Charges"), book.sheet("Cover")
charges.set(16, 8, 1.42, charges.style(16, 8))
cover.set(14, 5, 60585.46, cover.style(14, 5))
rows_columns.insert_columns(book, "Harbour", 3)
recalculate(book)
book.save(Path(sys.argv[1]) / "after.xlsx")
END
python - "$work" <<'END'
# The same pack after a hurried evening: a charge typed in, a total that ends too early, a number kept as text.
import sys
from pathlib import Path
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate
book = Workbook.open(Path(sys.argv[1]) / "before.xlsx")
charges, cover, harbour = (book.sheet(name) for name in ("Charges", "Cover", "Harbour"))
charges.set(41, 10, 25.0, charges.style(41, 10))
charges.set(77, 7, "38", charges.style(77, 7))
harbour.set(30, 9, 0.0, harbour.style(30, 9), "ROUND(F30*G30,2)")
cover.set(13, 5, 0.0, cover.style(13, 5), "SUM(Charges!J4:J2500)")
cover.set(10, 5, 0.0, cover.style(10, 5), 'IFERROR(VLOOKUP("Quayside",B19:C22,2),0)')
recalculate(book)
book.save(Path(sys.argv[1]) / "hurried.xlsx")
END
terminal audit.png 16 "tinquire audit hurried.xlsx"
tinquire compare before.xlsx after.xlsx --to differences.html >/dev/null
page differences.html compare-page.png 900

python - "$work" <<'END'
import base64, email, sys
from email.policy import default
from pathlib import Path
folder = Path(sys.argv[1])
path = next((folder / "larkfold/outbox/2026-10").glob("*northgate*.eml"))
message = email.message_from_bytes(path.read_bytes(), policy=default)
rows = "".join(f"<div style='color:#8A979C'>{name}&ensp;<span style='color:#27343A'>{str(message[name]).replace('<', '&lt;')}</span></div>" for name in ("From", "To", "Subject"))
files = "".join(f"<div style='margin-top:20px;border:1px solid #8A979C;padding:7px 12px;width:max-content'>{part.get_filename()}</div>" for part in message.iter_attachments())
body = message.get_body(("html",)).get_content()
inner = body[body.index("<body") + 5 : body.index("</body>")]
for part in message.walk():
    if part["Content-ID"]:
        data = base64.b64encode(part.get_content()).decode()
        inner = inner.replace("cid:" + part["Content-ID"].strip("<>"), f"data:image/png;base64,{data}")
(folder / "mail.html").write_text(f"<meta charset=utf-8><div style='margin:36px auto;width:900px;font:10pt DejaVu Sans'>{rows}<hr style='border:0;border-top:1px solid #8A979C;margin:16px 0'><div{inner}</div>{files}</div>", "utf-8")
END
page mail.html mail.png 860

# What a bad month looks like: a word among numbers, dates that may be read two ways, a list that was renamed.
sed -i '/^read_as/d; s/"date dmy"/"date"/; s/managers.csv/manager.csv/' larkfold/docket.toml
terminal check.png 19 "tinquire check larkfold/docket.toml -p 2026-10"
ls -la "$shots"
