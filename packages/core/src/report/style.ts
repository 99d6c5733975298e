/** How a report looks: paper and ink, hairlines, three voices of type; on paper without its ground. */
export const REPORT_STYLE = `
:root{--paper:#f6f2e9;--leaf:#fcfaf5;--ink:#1d282c;--ink2:#566167;--line:#ddd5c5;--soft:#ebe5d8;--act:#0f5c6e;--look:#8a5a00;--fine:#3c6a3f;--refused:#a3261b}
*{box-sizing:border-box}
html{color-scheme:light;background:var(--paper);color:var(--ink);font:400 15px/1.5 "Instrument Sans",system-ui,sans-serif;-webkit-text-size-adjust:100%}
body{margin:0}
main{max-width:860px;margin:24px auto 0;padding:44px 56px 36px;background:var(--leaf);border:1px solid var(--line);overflow-wrap:anywhere}
header{border-bottom:1px solid var(--line);padding-bottom:14px;margin-bottom:8px}
header p{margin:2px 0;color:var(--ink2);font-size:13.5px}
h1{font:italic 400 32px/1.15 Newsreader,Georgia,serif;margin:0 0 8px}
h2{font:italic 400 23px/1.2 Newsreader,Georgia,serif;margin:34px 0 8px}
h3{font-weight:600;font-size:16px;line-height:1.3;margin:24px 0 4px}
.mark{display:inline-block;min-width:22px;height:22px;padding:0 6px;margin-right:9px;border:1px solid var(--ink2);border-radius:11px;font:400 12px/20px "IBM Plex Mono",ui-monospace,monospace;text-align:center;vertical-align:1px}
p{margin:6px 0}
.voice{font:italic 400 18px/1.4 Newsreader,Georgia,serif}
.quiet{color:var(--ink2);font-size:13.5px}
ul,ol{margin:6px 0;padding-left:22px}
li{margin:3px 0}
table{border-collapse:collapse;width:100%;font-size:13.5px;margin:8px 0 12px}
caption{text-align:left;color:var(--ink2);font-size:12.5px;padding-bottom:3px}
th,td{text-align:left;vertical-align:top;padding:4px 12px 4px 0;border-bottom:1px solid var(--soft);font-weight:400}
thead th,thead .num{font:600 13px/1.4 "Instrument Sans",system-ui,sans-serif;border-bottom-color:var(--line)}
tbody th{font-weight:400}
td,.num{font-family:"IBM Plex Mono",ui-monospace,monospace;font-size:12.5px;font-variant-numeric:tabular-nums}
.facts th{width:40%;color:var(--ink2)}
.more{color:var(--ink2);font-family:"Instrument Sans",system-ui,sans-serif}
.num{text-align:right}
pre{margin:6px 0;padding:8px 12px;overflow-x:auto;background:var(--paper);border:1px solid var(--soft);font:400 12.5px/1.5 "IBM Plex Mono",ui-monospace,monospace}
.wide{overflow-x:auto}
.checks{list-style:none;padding:0;font-size:13.5px}
.checks li{padding-left:12px;border-left:3px solid var(--fine)}
.checks b{color:var(--fine)}
.checks .look{border-color:var(--look)}.checks .look b{color:var(--look)}
.checks .refused{border-color:var(--refused)}.checks .refused b{color:var(--refused)}
figure{margin:16px 0 20px}
figure svg{display:block;max-width:100%;height:auto;border:1px solid var(--line)}
figcaption{font-size:13.5px;margin-top:6px}
figcaption p{margin:2px 0}
.caution,.caution b{color:var(--look)}
a{color:var(--act)}
:focus-visible{outline:2px solid var(--act);outline-offset:2px}
footer{max-width:860px;margin:0 auto;padding:10px 56px 40px;color:var(--ink2);font-size:12.5px}
@media (max-width:640px){main{padding:24px 18px;margin-top:0}footer{padding:10px 18px 24px}}
@media print{html{background:none;font-size:10pt}main{max-width:none;margin:0;padding:0;border:0;background:none}figure,tr,.checks li{break-inside:avoid}h2,h3,caption{break-after:avoid}footer{padding:8px 0}@page{margin:18mm}}
`;
