// Reads a sentence and finds the file beside this page that is meant: core/asked in a script,
// without what needs a server. A test holds the two to the same answers.
const reader = D => {
  const bare = s => s.toLowerCase().replaceAll("ß", "ss").normalize("NFD").replace(/\p{Mn}/gu, "");
  const units = {px: 1, mm: 1, cm: 10, m: 1000, km: 1e6, in: 25.4, ppi: 1, kb: 1, mb: 1000};
  const phrases = {}, single = [];
  let joins = false;
  for (let line of D.words.split("\n")) {
    const [left, right] = line.split(/:(.*)/);
    const means = {things: [], own: ""};
    for (const what of left.split("+")) {
      const f = what.trim().split(/\s+/);
      if (f[0] === "joins") { joins = true; means.own = "drop"; }
      else if (f.length === 2) means.things.push({is: f[0], value: f[1]});
      else means.own = f[0];
    }
    for (const p of right.split(",")) {
      const ph = {words: p.trim().split(/\s+/), means};
      const at = ph.words[0].replace(/\*$/, "").slice(0, 2);
      (phrases[at] ||= []).push(ph);
      if (ph.words.length === 1 && means.own !== "drop") single.push(ph);
    }
  }
  const fits = (word, pattern) => pattern.endsWith("*") ? word.startsWith(pattern.slice(0, -1)) : word === pattern;
  const digit = s => s[0] >= "0" && s[0] <= "9";
  const split = s => {
    const out = [];
    let at = 0;
    for (const m of s.matchAll(/\d+(?:[.,]\d+)*|\.?\p{L}[\p{L}\p{M}]*|[,;:+×!?()]|[^\t\n\f\r \p{P}&]/gu)) {
      let said = m[0];
      if (m.index === at && at > 0 && said.startsWith(".")) said = said.slice(1);
      at = m.index + m[0].length;
      out.push({text: bare(said), said, number: digit(said)});
    }
    return out;
  };
  const isWord = t => {
    const c = t.text.replace(/^\./, "")[0] || "";
    return c >= "a" && c <= "z" || c > "\x7f" && c !== "×";
  };
  const value = s => {
    s = s.replaceAll(",", ".");
    const parts = s.split("."), last = parts[parts.length - 1];
    if (parts.length > 1 && last.length === 3 && parts[0].length <= 3 && parts[0] !== "0") s = parts.join("");
    else if (parts.length > 2) return null;
    const v = Number(s);
    return v < 1e9 ? v : null;
  };
  const oneAway = (a, b) => {
    if (a.length > b.length) [a, b] = [b, a];
    if (b.length - a.length > 1) return false;
    let i = 0;
    while (i < a.length && a[i] === b[i]) i++;
    if (a.length < b.length) return a.slice(i) === b.slice(i + 1);
    if (i === a.length) return true;
    if (a.slice(i + 1) === b.slice(i + 1)) return a.length >= 8;
    return i + 1 < a.length && a[i] === b[i + 1] && a[i + 1] === b[i] && a.slice(i + 2) === b.slice(i + 2);
  };
  const joined = word => {
    let got = null, longest = 4;
    for (const p of single) {
      const star = p.words[0].endsWith("*"), w = p.words[0].replace(/\*$/, "");
      if (!p.means.things.length || w.length <= longest) continue;
      const i = word.lastIndexOf(w), over = word.length - i - w.length;
      if (i > 2 && (over === 0 || star && over <= 2)) { got = p.means; longest = w.length; }
    }
    return joins ? got : null;
  };
  const same = (a, b) => a.length === b.length && a.every((x, i) => x.is === b[i].is && x.value === b[i].value);
  const misspelt = word => {
    if (word.length < 5) return null;
    let got = null;
    for (const p of single) {
      const star = p.words[0].endsWith("*"), w = p.words[0].replace(/\*$/, "");
      if (w.length < 6 || w[0] !== word[0] || !p.means.things.length) continue;
      const near = star && word.length > w.length + 1 ? word.slice(0, w.length + 1) : word;
      if (oneAway(near, w) || star && word.length >= w.length && oneAway(word.slice(0, w.length), w)) {
        if (got && !same(got.things, p.means.things)) return null;
        got = p.means;
      }
    }
    return got;
  };
  const lockups = [...new Set(D.versions.filter(v => v.lockup && !v.part).map(v => v.lockup))].map(l => ({l, words: split(l).map(t => t.text)})).sort((a, b) => b.words.length - a.words.length);
  const read = sentence => {
    const out = {things: [], unknown: [], long: false, ands: []};
    const runes = [...sentence];
    if (runes.length > 1000) { sentence = runes.slice(0, 1000).join(""); out.long = true; }
    const ts = split(sentence);
    let i = 0, not = false, lim = "";
    const add = x => { if (!out.things.some(y => y.is === x.is && y.value === x.value && y.not === x.not)) out.things.push(x); };
    const words = (from, n) => ts.slice(from, from + n).map(t => t.said).join(" ");
    const at = n => phrases[ts[n].text.slice(0, 2)] || [];
    const longest = n => {
      let best = 0, got = null, len = 0;
      for (const p of at(n)) {
        if (p.words.length > ts.length - n || units[p.means.own] || ["by", "wide", "high"].includes(p.means.own)) continue;
        let score = 0, all = true;
        p.words.forEach((w, k) => {
          const t = ts[n + k];
          if (!fits(t.text, w) || t.number !== digit(w)) all = false;
          score += 100 * w.length + (t.text === w.replace(/\*$/, "") ? 50 : 0);
        });
        score += 100000 * p.words.length;
        if (p.means.own === "drop" && p.words.length === 1) score = score / 2 + (p.words[0] === ts[n].text ? 75000 : 0);
        if (all && score > best) { best = score; got = p.means; len = p.words.length; }
      }
      return [got, len];
    };
    const own = (n, wants) => {
      let best = "", len = 0;
      if (n < ts.length) {
        for (const p of at(n)) {
          if (wants.includes(p.means.own) && p.words.length <= ts.length - n && p.words.length > len && p.words.every((w, k) => fits(ts[n + k].text, w))) { best = p.means.own; len = p.words.length; }
        }
      }
      return [best, len];
    };
    const sides = ["wide", "high"], names = Object.keys(units);
    const measure = () => {
      const first = value(ts[i].text);
      if (first === null) return false;
      let [unit, n] = own(i + 1, names), j = i + 1 + n, second = 0, two = false;
      const b = j < ts.length && ts[j].text === "×" ? 1 : own(j, ["by"])[1];
      if (b > 0 && j + b < ts.length && ts[j + b].number && value(ts[j + b].text) !== null) {
        second = value(ts[j + b].text);
        two = true;
        j += b + 1;
        const [u, m] = own(j, names);
        if (m > 0) { unit = u; j += m; }
        else if (!unit && j < ts.length && ts[j].text === "in") { unit = "in"; j++; }
        else if (!unit) unit = "px";
      }
      if (!unit && Number.isInteger(first) && first >= 16 && first <= 20000 && j < ts.length) {
        const [m, len] = longest(j);
        if (own(j, sides)[1] > 0 || len > 0 && m.things.some(t => t.is === "shape")) unit = "px";
      }
      if (!unit) return false;
      const [side, m] = own(j, sides);
      j += m;
      const said = words(i, j - i);
      const put = (is, v) => add({is, value: Math.round(v * units[unit] * 1e6) / 1e6, said, not});
      let [w, h, lo, hi] = ["width-mm", "height-mm", "width-mm", "width-mm"];
      if (unit === "px") [w, h, lo, hi] = ["width-px", "height-px", "least-px", "most-px"];
      if (unit === "ppi") [w, h, lo, hi] = ["ppi", "ppi", "ppi", "ppi"];
      if (unit === "kb" || unit === "mb") [w, h, lo, hi] = ["most-kb", "most-kb", "", "most-kb"];
      if (lim === "least" && !lo) add({is: "quality", value: "high", said, not: false});
      else if (lim && side === "high" && unit === "px") put(h, first);
      else if (lim === "least") put(lo, first);
      else if (lim === "most") put(hi, first);
      else if (two) { put(w, first); put(h, second); }
      else put(side === "high" ? h : w, first);
      i = j;
      not = false;
      lim = "";
      return true;
    };
    while (i < ts.length) {
      if (out.things.length >= 40) { out.long = true; break; }
      const t = ts[i], own = lockups.find(o => o.words.length && o.words.every((w, k) => ts[i + k]?.text === w));
      if (own) {
        add({is: "lockup", value: own.l, said: words(i, own.words.length), not});
        i += own.words.length;
        not = false;
        lim = "";
        continue;
      }
      if (t.number && measure()) continue;
      let [m, n] = longest(i);
      if (n === 0 && !isWord(t) && !t.number) { i++; not = false; lim = ""; continue; }
      if (n === 0) {
        m = joined(t.text) || misspelt(t.text);
        if (!m) {
          i++;
          if (!out.unknown.includes(t.said) && out.unknown.length < 40) out.unknown.push(t.said);
          continue;
        }
        n = 1;
      } else if (m.own === "drop" && n === 1 && t.text.length > 8) m = joined(t.text) || m;
      const said = words(i, n);
      i += n;
      if (m.own === "not") not = true;
      else if (m.own === "least" || m.own === "most") {
        lim = m.own;
        if (not) { lim = "most"; not = false; }
      } else if (m.own === "and") {
        lim = "";
        out.ands.push(out.things.length);
      }
      else if (!m.own) {
        for (const x of m.things) add({...x, said, not});
        not = false;
        lim = "";
      }
    }
    return out;
  };

  // What is meant: core/asked/answer.go and core/advice/choose.go.
  const traits = Object.fromEntries(D.versions.map(v => [v.name, v]));
  const files = D.files.map(([path, version, format, w, h, ppi, wpt, hpt, cmyk, pixels, bytes]) => {
    const k = D.kinds[format] || {}, v = traits[version] || {name: version, aspect: 1};
    return {path, format, w, h, ppi, wpt, hpt, cmyk: !!cmyk, bytes, k, v, curves: !!k.curves && !pixels, pixels: !!pixels, inSet: path.startsWith("ICONS")};
  });
  const suits = (w, f, anywhere) => {
    const v = f.v, opaque = !!f.k.opaque, is = c => (w.i || "").includes(c);
    if (!w.f.includes(f.format) || f.inSet !== is("t") || is("c") && !f.cmyk || !is("c") && f.k.pixels && f.cmyk || f.w > 0 && f.w < (w.l || 0) || w.p && f.ppi < w.p || !anywhere && is("o") && v.one_ink || f.pixels && !is("i")) return false;
    if (is("t")) return true;
    if (anywhere) return !(v.light && !v.backed && opaque);
    if (w.s === 1) return !!v.light && !v.backed && !opaque;
    if (w.s === 2 || w.s === 3) return !!v.one_ink && !v.light && !v.backed;
    return !v.light;
  };
  const lean = f => Math.round(10 * Math.abs(Math.log(f.w > 0 && f.h > 0 ? f.w / f.h : f.v.aspect)));
  const far = (w, f) => f.w === 0 ? 0 : !w.w ? -f.w : Math.abs(Math.log(f.w / w.w));
  const better = (w, a, b) => {
    const d = (x, y) => (x ? 1 : 0) - (y ? 1 : 0);
    return w.f.indexOf(a.format) - w.f.indexOf(b.format) || ((w.i || "").includes("q") ? lean(a) - lean(b) : d(a.v.part, b.v.part)) || (w.s === 2 ? d(!a.v.black, !b.v.black) : 0) || ((w.s || 0) < 2 ? d(a.v.one_ink, b.v.one_ink) : 0) || d(a.v.backed, b.v.backed) || far(w, a) - far(w, b);
  };
  const place = (key, f, anywhere) => (D.wants[key] || []).findIndex(w => suits(w, f, anywhere));
  const rank = (key, f, named) => {
    const n = place(key, f, false), m = place(key, f, true);
    return n >= 0 ? n : named && m >= 0 ? 100 + m : Infinity;
  };
  const compare = (key, a, b) => {
    let n = place(key, a, false);
    if (n < 0) n = place(key, a, true);
    return n < 0 ? 0 : better(D.wants[key][n], a, b);
  };
  const of = (w, is, not) => w.things.filter(t => t.is === is && !!t.not === !!not).map(t => t.value);
  const near = (a, b) => Math.abs(a - b) <= 0.005 * b;
  const ofName = v => ["wordmark", "name", "lettering", "logotype", "schriftzug"].some(w => bare((v.lockup || "") + " " + v.name).includes(w));
  const mm = 72 / 25.4, sharp = 300;
  const holds = (f, t, named) => {
    const v = f.v, n = t.value, opaque = !!f.k.opaque, bareOf = !v.backed && !opaque;
    switch (t.is) {
    case "type": return f.format === n && !f.inSet || n === "ico" && (f.inSet || f.format === "ico");
    case "kind": return f.curves === (n === "vector");
    case "space": return f.cmyk === (n === "cmyk");
    case "plate": return D.spot && f.curves && f.cmyk;
    case "colourway":
      if (n === "white") return !!v.light && !!v.one_ink && !v.backed;
      if (n === "black") return !!v.black && !v.backed;
      return n === "one" ? !!v.one_ink && !v.backed : !v.one_ink;
    case "ground": return n === "dark" ? !!v.light && bareOf : n === "light" ? !v.light : bareOf;
    case "background": return (opaque || !!v.backed) === (n === "own");
    case "shape": return f.w > 0 ? f.w === f.h : Math.abs(v.aspect - 1) < 0.01;
    case "part": return !!v.part === (n !== "whole") && (!v.part || ofName(v) === (n === "name"));
    case "lockup": return v.lockup === n;
    case "quality": return n === "light" || f.curves || f.w >= 1500;
    case "use": return place(n, f, false) >= 0 || named && place(n, f, true) >= 0;
    case "width-px": return n >= 1 && (f.curves || Math.abs(f.w - n) < 0.5);
    case "height-px": return n >= 1 && (f.curves && Math.abs(v.aspect - 1) < 0.01 || Math.abs(f.h - n) < 0.5);
    case "least-px": return f.curves || f.w >= n;
    case "most-px": return f.w > 0 && f.w <= n;
    case "width-mm": return f.curves && n <= 100000 || f.w >= n / 25.4 * sharp;
    case "height-mm": return f.curves && n <= 100000 || f.h >= n / 25.4 * sharp;
    case "ppi": return f.curves || f.ppi >= 0.99 * n;
    case "most-kb": return f.bytes <= 1000 * n;
    }
    return false;
  };
  const weights = {type: 1 << 12, colourway: 1 << 11, ground: 1 << 11, part: 1 << 10, lockup: 1 << 10, kind: 256, space: 256, plate: 256, background: 256, quality: 16, use: 0};
  const weight = is => weights[is] ?? 32;
  const keyOf = w => {
    const uses = of(w, "use"), use = ["shirt", "sign"].find(u => uses.includes(u)) || uses[0], kinds = of(w, "kind"), ways = of(w, "colourway");
    if (use) return use;
    if (of(w, "plate").length + of(w, "width-mm").length + of(w, "height-mm").length > 0 || of(w, "space").includes("cmyk")) return "printer";
    if (kinds.includes("vector")) return "vector";
    if (ways.includes("white") || of(w, "ground").includes("dark")) return "white";
    if (ways.includes("black") || ways.includes("one")) return "black";
    if (of(w, "shape").length) return "square";
    return of(w, "quality").includes("high") ? "highres" : "transparent";
  };
  const away = (w, f) => {
    let d = 0;
    for (const t of w.things) {
      if (f.w === 0 || !(t.value > 0) || t.not) continue;
      if (["width-px", "least-px", "most-px"].includes(t.is)) d += Math.abs(Math.log(f.w / t.value));
      if (t.is === "height-px") d += Math.abs(Math.log(f.h / t.value));
      if (t.is === "width-mm") d += Math.abs(Math.log(f.w / (t.value / 25.4 * sharp)));
      if (t.is === "most-kb") d += Math.max(0, f.bytes / 1000 / t.value - 1);
    }
    return of(w, "quality").includes("light") ? d + f.bytes / 1e6 : d;
  };
  const odd = (f, square) => [f.inSet, square ? !f.v.part || ofName(f.v) || Math.max(f.v.aspect, 1 / f.v.aspect) > 1.5 : f.v.part, f.v.backed, f.v.light, f.v.one_ink && !f.v.black, f.v.one_ink, f.cmyk !== (!!f.k.curves && !!f.k.cmyk)].reduce((n, x, i) => n + (x ? 64 >> i : 0), 0);
  const exact = (f, t, curves, onPaper) => t.is === "ppi" ? f.w > 0 || curves || !onPaper : t.is === "width-mm" ? near(f.wpt, t.value * mm) : t.is === "height-mm" ? near(f.hpt, t.value * mm) : ["width-px", "height-px", "least-px"].includes(t.is) ? f.w > 0 || curves : true;
  const answer = w => {
    if (!w.things.length || !files.length) return null;
    const key = keyOf(w), uses = of(w, "use"), parts = of(w, "part");
    const curves = of(w, "kind").includes("vector") || of(w, "type").some(t => D.kinds[t]?.curves);
    const lockup = of(w, "lockup").length, whole = parts.length + of(w, "shape").length + lockup === 0 && !uses.includes("profile") && !uses.includes("icon");
    const size = i => of(w, i)[0] || 0;
    const onPaper = !uses.length && size("width-mm") + size("height-mm") > 0;
    const square = !parts.length && (uses.includes("profile") && (!size("height-px") || size("height-px") === size("width-px")) || uses.includes("icon"));
    const named = of(w, "colourway").length + of(w, "ground").length > 0;
    const all = files.map(f => {
      const c = {f, misses: 0, rank: rank(key, f, named), away: away(w, f), odd: odd(f, square)};
      for (const t of w.things) {
        if (holds(f, t, named) === !!t.not) c.misses += weight(t.is);
        else if (!t.not && !exact(f, t, curves, onPaper)) c.misses++;
      }
      if (whole && f.v.part && !f.inSet) c.misses++;
      c.unsuitable = uses.length && c.rank === Infinity ? 1 : 0;
      return c;
    });
    const less = (a, b) => a < b ? -1 : a > b ? 1 : 0;
    all.sort((x, y) => less(x.misses, y.misses) || less(x.unsuitable, y.unsuitable) || less(x.rank, y.rank) || less(x.away, y.away) || less(x.odd, y.odd) || compare(key, x.f, y.f));
    const got = all[0];
    const met = w.things.map(t => ({...t, ok: holds(got.f, t, named) !== !!t.not}));
    const a = {file: got.f, met, whole: met.every(m => m.ok || m.is === "use"), part: !parts.length && !lockup && !!got.f.v.part && !got.f.inSet, others: [], never: ""};
    for (const c of all.slice(1)) {
      const more = c.misses - got.misses;
      if (c.f.format === got.f.format || c.f.inSet || a.others.some(o => o.format === c.f.format) || more > 1 && more >> 1 !== weight("type") >> 1 || c.unsuitable > got.unsuitable || c.f.v !== got.f.v || a.others.length === 3) continue;
      a.others.push(c.f);
    }
    if (!a.whole) {
      for (const t of of(w, "type")) {
        const k = D.kinds[t];
        if (!k || a.never) continue;
        if (k.opaque && of(w, "background").includes("none")) a.never = "no-holes";
        else if (k.pixels && of(w, "kind").includes("vector")) a.never = "no-curves";
        else if (!k.cmyk && of(w, "space").includes("cmyk")) a.never = "no-inks";
      }
    }
    return a;
  };
  const each = w => {
    const parted = n => [i => i < n, i => i >= n].map(own => ({...w, things: w.things.filter((t, i) => own(i) || ["colourway", "part", "lockup"].includes(t.is))}));
    const is = (t, i, v) => t.is === i && !t.not && (!v || t.value === v);
    const kind = w.things.findIndex(t => is(t, "kind", "vector")), pixels = w.things.findIndex(t => is(t, "type") && D.kinds[t.value]?.pixels);
    if (kind >= 0 && pixels >= 0 && of(w, "type").length === 1) {
      const n = w.ands.find(n => n > Math.min(kind, pixels) && n <= Math.max(kind, pixels));
      if (n) return parted(n);
    }
    if (of(w, "space").length === 2) return parted(w.things.findLastIndex(t => is(t, "space")));
    if (of(w, "colourway").some(v => v === "white" || v === "black")) w = {...w, things: w.things.filter(t => !is(t, "colourway", "one"))};
    for (const is of ["type", "colourway"]) {
      if (new Set(of(w, is)).size < 2) continue;
      const out = [];
      w.things.forEach((t, i) => {
        if (t.is !== is || t.not || out.length === 6 || w.things.slice(0, i).some(u => u.is === is && u.value === t.value && !u.not)) return;
        const other = u => u.is === is && !u.not && u.value !== t.value;
        out.push({...w, things: w.things.filter(u => !other(u) && !w.things.some(v => other(v) && v.said === u.said))});
      });
      return out;
    }
    return [w];
  };
  return sentence => {
    const wish = read(sentence);
    return {wish, answers: each(wish).map(answer).filter(a => a)};
  };
};
