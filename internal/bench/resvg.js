// Times @resvg/resvg-js on the drawings of a file, for make bench: for each,
// the best of several rounds of reading and drawing, in milliseconds.
const fs = require("fs");
const path = require("path");
const [, , modules, file, width] = process.argv;
const { Resvg } = require(path.join(modules, "@resvg/resvg-js"));
const rounds = Number(width) > 1000 ? 2 : 5;
const out = [];
for (const d of JSON.parse(fs.readFileSync(file))) {
  let best = Infinity;
  for (let i = 0; i < rounds; i++) {
    const start = process.hrtime.bigint();
    new Resvg(d.svg, { fitTo: { mode: "width", value: Number(width) }, font: { loadSystemFonts: false } }).render();
    best = Math.min(best, Number(process.hrtime.bigint() - start) / 1e6);
  }
  out.push(best);
}
console.log(JSON.stringify(out));
