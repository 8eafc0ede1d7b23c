// Putting a lockup together: parts are dragged and sized on the picture; the fields beside it say
// the same in numbers.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;
  const near = 7; // px on the screen within which a part is caught

  Alpine.data("arrange", () => ({
    caught: "",
    init() {
      this.stage = this.$root.querySelector("#stage");
      if (!this.stage) return;
      this.distances = this.$root.dataset.distances.split(" ").filter(Boolean).map(Number);
      this.parts = [...this.stage.querySelectorAll(".movable")].map((g) => this.part(g));
      this.parts.forEach((p) => this.put(p));
      this.corners();
      new ResizeObserver(() => this.corners()).observe(this.stage);
    },
    part(g) {
      const row = this.$root.querySelector(`tr[data-n="${g.dataset.n}"]`);
      const field = (f) => row.querySelector(`[name^="${f}-"]`);
      const p = { g, name: g.dataset.name, w: Number(g.dataset.w), h: Number(g.dataset.h), in: field("in"), fields: { x: field("x"), y: field("y"), size: field("size") } };
      this.readPart(p);
      g.addEventListener("pointerdown", (e) => this.hold(p, e));
      g.addEventListener("keydown", (e) => this.key(p, e));
      return p;
    },
    // readPart takes what the fields say; what is no number leaves the part where it is.
    readPart(p) {
      for (const [k, f] of Object.entries(p.fields)) {
        const v = Number(f.value.replace("%", "").trim());
        if (f.value.trim() !== "" && Number.isFinite(v) && (k !== "size" || v > 0)) p[k] = v;
      }
    },
    box(p) { return { x: p.x, y: p.y, w: p.w * p.size / 100, h: p.h * p.size / 100 }; },
    // put draws a part where it is.
    put(p) {
      const b = this.box(p);
      const [image, rect, corner] = p.g.children;
      for (const el of [image, rect]) for (const [k, v] of Object.entries({ x: b.x, y: b.y, width: b.w, height: b.h })) el.setAttribute(k, v);
      corner.setAttribute("cx", b.x + b.w);
      corner.setAttribute("cy", b.y + b.h);
      p.g.toggleAttribute("hidden", !p.in.checked);
    },
    // write says in the fields where a part is.
    write(p) {
      const round = (v) => String(Math.round(v * 100) / 100);
      p.fields.x.value = round(p.x);
      p.fields.y.value = round(p.y);
      p.fields.size.value = round(p.size);
    },
    scale() { const m = this.stage.getScreenCTM(); return m ? m.a : 1; }, // px on the screen for one of the master
    corners() { this.stage.querySelectorAll(".corner").forEach((c) => c.setAttribute("r", 7 / this.scale())); },
    place(e) { return new DOMPoint(e.clientX, e.clientY).matrixTransform(this.stage.getScreenCTM().inverse()); },
    others(p) { return this.parts.filter((o) => o.g !== p.g && o.in.checked).map((o) => ({ name: o.name, ...this.box(o) })); },
    hold(p, e) {
      if (e.button !== 0) return;
      e.preventDefault();
      p.g.focus({ preventScroll: true });
      const sizing = e.target.classList.contains("corner");
      const from = this.place(e), was = { x: p.x, y: p.y, size: p.size }, full = this.box(p);
      p.g.setPointerCapture(e.pointerId);
      const move = (m) => {
        const to = this.place(m);
        if (sizing) {
          const k = Math.max(0.02, ((to.x - full.x) * full.w + (to.y - full.y) * full.h) / (full.w ** 2 + full.h ** 2) / (((from.x - full.x) * full.w + (from.y - full.y) * full.h) / (full.w ** 2 + full.h ** 2)));
          p.size = Math.min(5000, Math.max(2, was.size * k));
          this.catchSize(p, m.altKey);
        } else {
          p.x = was.x + to.x - from.x;
          p.y = was.y + to.y - from.y;
          this.catchPlace(p, m.altKey);
        }
        this.put(p);
        this.write(p);
      };
      const end = () => {
        p.g.removeEventListener("pointermove", move);
        this.stage.querySelector(".snaps").replaceChildren();
        this.settle();
      };
      p.g.addEventListener("pointermove", move);
      p.g.addEventListener("pointerup", end, { once: true });
      p.g.addEventListener("pointercancel", end, { once: true });
    },
    // catchPlace moves a part onto the nearest edge, middle or distance on each axis.
    catchPlace(p, free) {
      const lines = [], said = [];
      if (!free) {
        const b = this.box(p);
        for (const [at, size, edge, other] of [["x", "w", ["left edges", "right edges"], "y"], ["y", "h", ["tops", "feet"], "x"]]) {
          let best = near / this.scale(), found = null;
          const look = (to, mine, line, what) => {
            const d = to - mine;
            if (Math.abs(d) < best) { best = Math.abs(d); found = { d, line, what }; }
          };
          for (const o of this.others(p)) {
            look(o[at], b[at], o[at], edge[0]);
            look(o[at] + o[size], b[at] + b[size], o[at] + o[size], edge[1]);
            look(o[at] + o[size] / 2, b[at] + b[size] / 2, o[at] + o[size] / 2, "middles");
            for (const d of this.distances) {
              look(o[at] + o[size] + d, b[at], o[at] + o[size] + d, `${Math.round(d * 10) / 10} px from ${o.name}, as in the mark`);
              look(o[at] - d, b[at] + b[size], o[at] - d, `${Math.round(d * 10) / 10} px from ${o.name}, as in the mark`);
            }
          }
          if (found) {
            p[at] += found.d;
            lines.push([other === "y" ? "x" : "y", found.line]);
            said.push(found.what);
          }
        }
      }
      this.say(lines, said);
    },
    // catchSize gives a part the height or width of another one, or its own in the master.
    catchSize(p, free) {
      const lines = [], said = [];
      if (!free) {
        const b = this.box(p), reach = near / this.scale();
        let best = reach, found = null;
        const look = (size, of, mine, what) => {
          const d = Math.abs(size - mine);
          if (d < best) { best = d; found = { size: 100 * size / of, what }; }
        };
        look(p.h, p.h, b.h, "as large as it is drawn");
        for (const o of this.others(p)) {
          look(o.h, p.h, b.h, `as high as ${o.name}`);
          look(o.w, p.w, b.w, `as wide as ${o.name}`);
          look(o.y + o.h - p.y, p.h, b.h, `to the foot of ${o.name}`);
        }
        if (found) {
          p.size = found.size;
          const now = this.box(p);
          lines.push(["y", now.y + now.h]);
          said.push(found.what);
        }
      }
      this.say(lines, said);
    },
    say(lines, said) {
      const view = this.stage.viewBox.baseVal;
      this.stage.querySelector(".snaps").replaceChildren(...lines.map(([axis, at]) => {
        const l = document.createElementNS("http://www.w3.org/2000/svg", "line");
        const to = axis === "x" ? { x1: at, x2: at, y1: view.y, y2: view.y + view.height } : { y1: at, y2: at, x1: view.x, x2: view.x + view.width };
        for (const [k, v] of Object.entries(to)) l.setAttribute(k, v);
        l.setAttribute("vector-effect", "non-scaling-stroke");
        return l;
      }));
      this.caught = said.join(" · ");
    },
    key(p, e) {
      const step = { ArrowLeft: ["x", -1], ArrowRight: ["x", 1], ArrowUp: ["y", -1], ArrowDown: ["y", 1] }[e.key];
      const far = e.shiftKey ? 10 : 1;
      if (step) p[step[0]] += step[1] * far * this.parts[0].h / 100;
      else if (e.key === "+" || e.key === "=") p.size = Math.min(5000, p.size * 1.02);
      else if (e.key === "-") p.size = Math.max(2, p.size / 1.02);
      else return;
      e.preventDefault();
      this.put(p);
      this.write(p);
      this.settle();
    },
    typed() {
      this.parts.forEach((p) => { this.readPart(p); this.put(p); });
      this.settle();
    },
    // settle shows all that there is now, once it is let go, and draws it as files will.
    settle() {
      clearTimeout(this.later);
      this.later = setTimeout(() => {
        const bs = this.parts.filter((p) => p.in.checked).map((p) => this.box(p));
        if (!bs.length) return;
        this.fit(bs);
        const first = this.parts.find((p) => p.in.checked), f = this.box(first);
        const rest = this.parts.filter((p) => p.in.checked && p !== first);
        const at = rest.map((p) => [(p.x - f.x) / f.h, (p.y - f.y) / f.h, p.size / first.size].map((v) => v.toFixed(4)).join(":")).join(",");
        const names = [first, ...rest].map((p) => encodeURIComponent(p.name)).join("%2B");
        const next = new Image();
        const img = this.$root.querySelector("#as-drawn");
        const src = `${this.$root.dataset.picture}&parts=${names}&placed=at&at=${at}`;
        if (!img) return;
        img.dataset.want = src;
        next.onload = () => { if (img.dataset.want === src) img.src = src; };
        next.src = src;
      }, 160);
    },
    // fit changes what the stage shows where a part has left it.
    fit(bs) {
      const v = this.stage.viewBox.baseVal;
      const x0 = Math.min(...bs.map((b) => b.x)), y0 = Math.min(...bs.map((b) => b.y));
      const x1 = Math.max(...bs.map((b) => b.x + b.w)), y1 = Math.max(...bs.map((b) => b.y + b.h));
      const inside = x0 >= v.x && y0 >= v.y && x1 <= v.x + v.width && y1 <= v.y + v.height;
      if (inside && Math.max((x1 - x0) / v.width, (y1 - y0) / v.height) > 0.25) return;
      const room = 0.5 * Math.max(x1 - x0, y1 - y0);
      let w = x1 - x0 + 2 * room, h = y1 - y0 + 2 * room;
      if (w / h < 1.5) w = 1.5 * h; else h = w / 1.5;
      this.stage.setAttribute("viewBox", `${(x0 + x1 - w) / 2} ${(y0 + y1 - h) / 2} ${w} ${h}`);
      this.corners();
    },
  }));
});
