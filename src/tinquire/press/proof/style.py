"""How the proof looks: on a screen, a phone and paper."""

from __future__ import annotations

__all__ = ["STYLE"]

STYLE = """
:root{--ink:#27343A;--dim:#5F6E75;--line:#D9DEE0;--ground:#FBFAF7;--good:#2F6B4F;--bad:#A6402F;--woad:#2F5D7C}
*{box-sizing:border-box}
body{margin:0;background:var(--ground);color:var(--ink);font:14px/1.45 system-ui,'DejaVu Sans',Verdana,sans-serif}
main{max-width:1120px;margin:0 auto;padding:28px 24px 60px}
.over{margin:0;color:var(--woad);font-weight:600;letter-spacing:.04em}
h1{margin:.1em 0;font-size:26px;line-height:1.2}
.when{margin:0;color:var(--dim)}
h2{margin:34px 0 8px;font-size:17px;border-bottom:2px solid var(--ink);padding-bottom:4px}
h3{margin:16px 0 4px;font-size:14px;color:var(--dim)}
.note,.none,small{color:var(--dim)}
small{display:block;font-size:12px}
.strip{display:flex;flex-wrap:wrap;gap:10px;list-style:none;margin:20px 0 0;padding:0}
.strip li{flex:1 1 130px;background:#fff;border:1px solid var(--line);border-radius:6px;padding:10px 14px}
.strip b{display:block;font-size:22px;line-height:1.2}
.strip span{color:var(--dim)}
.strip .good b,.good{color:var(--good)}
.up{color:var(--woad)}
.strip .bad b,.bad,.down,.gone{color:var(--bad)}
.new{color:var(--good)}
.warn{margin:0;padding-left:20px}
.warn li{margin:6px 0}
.wide{overflow-x:auto}
table{border-collapse:collapse;width:100%;background:#fff}
th,td{text-align:left;vertical-align:top;padding:5px 10px;border-bottom:1px solid var(--line)}
th{font-weight:600;color:var(--dim);font-size:12px;white-space:nowrap}
.n{text-align:right;white-space:nowrap;font-variant-numeric:tabular-nums}
details{margin:8px 0;background:#fff;border:1px solid var(--line);border-radius:6px}
summary{cursor:pointer;padding:8px 12px;font-weight:600}
summary span{color:var(--dim);font-weight:400;margin-left:10px}
details>p{margin:4px 12px 8px}
.cards{display:grid;grid-template-columns:repeat(auto-fill,minmax(168px,1fr));gap:14px}
.card{display:flex;flex-direction:column;color:inherit;text-decoration:none;background:#fff;
  border:1px solid var(--line);border-radius:6px;padding:10px;
  overflow-wrap:anywhere}
.card img,.blank{width:100%;height:180px;object-fit:contain;background:#EEF0F1;margin-bottom:8px}
.blank{display:flex;align-items:center;justify-content:center;color:var(--dim)}
.card a{color:inherit;font-weight:600;font-size:13px}
.inner{padding:4px 12px 12px}
pre{background:#fff;border:1px solid var(--line);border-radius:6px;padding:10px 12px;overflow-x:auto;font-size:12px}
@media (max-width:600px){main{padding:16px 12px}th,td{padding:4px 6px}h1{font-size:21px}}
@page{size:A4 landscape;margin:12mm}
@media print{body{background:#fff;font-size:9pt}main{max-width:none;padding:0}.card,tr{break-inside:avoid}
  .strip{flex-wrap:nowrap}.strip li{flex:1 1 0}.wide{overflow:visible}
  th,td{padding:3px 5px;font-size:8pt}small{font-size:7pt}
  h2,h3,summary{break-after:avoid}details>summary{list-style:none}
  details::details-content{content-visibility:visible;display:block;block-size:auto}}
"""
