"use strict";
// Beside its files, where no server reads sentences, the page reads them itself.
(() => {
  const form = document.getElementById("ask"), data = document.getElementById("reader");
  if (form && data) { // there is no server that reads sentences
    const D = JSON.parse(data.textContent), ask = reader(D), say = D.say;
    const typed = document.getElementById("typed"), replies = document.getElementById("replies");
    const el = (name, text, cls) => {
      const e = document.createElement(name);
      if (text) e.textContent = text;
      if (cls) e.className = cls;
      return e;
    };
    const number = v => new Intl.NumberFormat(D.lang, {maximumFractionDigits: 1}).format(v);
    const is = t => {
      const s = t.is === "type" ? D.kinds[t.value]?.n || t.value : t.is === "use" ? say["use." + t.value] : t.is === "lockup" ? t.value : (say["is." + t.is] || say["is." + t.is + "." + t.value]).replace("{n}", number(t.value));
      return t.not ? say["is.not"].replace("{what}", s) : s;
    };
    const link = (f, text) => {
      const a = el("a", text || f.path.split("/").pop());
      a.href = f.path.split("/").map(encodeURIComponent).join("/");
      a.download = "";
      return a;
    };
    const show = a => {
      const box = el("div", "", "reply");
      box.append(el("h3", a.file.path.split("/").pop()), el("p", say[a.whole ? "hit.whole" : a.never ? "hit." + a.never : "hit.near"]));
      if (a.part) box.append(el("p", say["hit.part"], "lacks"));
      const lacks = a.met.filter(m => !m.ok && m.is !== "use");
      if (lacks.length) box.append(el("p", say["asked.miss"] + " " + lacks.map(is).join(", "), "lacks"));
      const get = link(a.file, say.download);
      get.className = "download";
      box.append(get);
      for (const o of a.others) {
        const p = el("p", "", "or");
        p.append(link(o, say[o.w > 0 ? "hit.other.px" : "hit.other"].replace("{type}", o.k.n).replace("{px}", o.w)), " " + (say["hit.for." + o.format] || ""));
        box.append(p);
      }
      return box;
    };
    const find = () => {
      const {wish, answers} = ask(typed.value);
      const chips = el("p", "", "chips");
      if (wish.things.length) chips.append(el("span", say["asked.understood"]));
      for (const t of wish.things) chips.append(el("b", is(t)), " ");
      if (wish.unknown.length) chips.append(el("span", say["asked.unknown"]));
      for (const u of wish.unknown) chips.append(el("i", u), " ");
      if (wish.long) chips.append(el("span", say["asked.long"]));
      replies.replaceChildren(...(typed.value.trim() === "" ? [] : [chips, ...(answers.length ? answers.map(show) : [el("p", say["asked.none.short"])])]));
    };
    form.hidden = false;
    typed.addEventListener("input", find);
    form.addEventListener("submit", e => { e.preventDefault(); find(); });
  }
})();
