// The art large: looked at closely, picked from, its colours and lockups.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  // The master: findings light their place up, the ground can be changed, and
  // one can look closer. While one moves, the picture at hand is stretched; a
  // moment later the engine's own picture of what is in view lies over it.
  Alpine.data("art", () => ({
    ground: "grey",
    zoom: "",
    trying: "",
    picked: "",
    about: "",
    place: "",
    opens: "",
    painted: false,
    fills: [],
    k: 1,
    x: 0,
    y: 0,
    init() {
      window.addEventListener("ground", () => {
        const all = ["white", "grey", "black"];
        this.ground = all[(all.indexOf(this.ground) + 1) % all.length];
      });
      const board = this.$refs.board;
      board.addEventListener("wheel", (e) => {
        e.preventDefault();
        const b = board.getBoundingClientRect();
        this.scale(Math.exp(-e.deltaY / 300), e.clientX - b.left, e.clientY - b.top);
      }, { passive: false });
      board.addEventListener("pointerdown", (e) => {
        if (e.button) return;
        board.setPointerCapture(e.pointerId);
        let [px, py] = [e.clientX, e.clientY];
        const start = [px, py];
        const move = (m) => {
          this.shift(m.clientX - px, m.clientY - py);
          [px, py] = [m.clientX, m.clientY];
        };
        board.addEventListener("pointermove", move);
        board.addEventListener("pointerup", (u) => {
          board.removeEventListener("pointermove", move);
          if (Math.hypot(u.clientX - start[0], u.clientY - start[1]) < 4) this.ask(u.clientX, u.clientY);
        }, { once: true });
      });
      window.addEventListener("picked", (e) => this.tell(e.detail));
      window.addEventListener("lit", (e) => this.show(e.detail));
      board.addEventListener("keydown", (e) => {
        const by = { ArrowLeft: [60, 0], ArrowRight: [-60, 0], ArrowUp: [0, 60], ArrowDown: [0, -60] }[e.key];
        if (by) this.shift(...by);
        else if (e.key === "+" || e.key === "=") this.middle(1.5);
        else if (e.key === "-") this.middle(1 / 1.5);
        else if (e.key === "0") this.whole();
        else return;
        e.preventDefault();
        e.stopPropagation();
      });
      window.addEventListener("resize", () => this.whole());
    },
    pick(e) { this.ground = e.target.dataset.g; },
    step(e) {
      const way = e.target.dataset.zoom;
      if (way === "whole") this.whole();
      else this.middle(way === "in" ? 1.5 : 1 / 1.5);
    },
    middle(f) {
      const board = this.$refs.board;
      this.scale(f, board.clientWidth / 2, board.clientHeight / 2);
    },
    // scale looks closer by a factor, the place at cx, cy held.
    scale(f, cx, cy) {
      const k = Math.min(200, Math.max(1, this.k * f));
      const sheet = this.$refs.sheet;
      const [ox, oy] = [sheet.offsetLeft, sheet.offsetTop];
      this.x = cx - ox - (cx - ox - this.x) * k / this.k;
      this.y = cy - oy - (cy - oy - this.y) * k / this.k;
      this.k = k;
      if (k === 1) [this.x, this.y] = [0, 0];
      this.settle();
    },
    shift(dx, dy) {
      if (this.k === 1) return;
      this.x += dx;
      this.y += dy;
      this.settle();
    },
    whole() {
      [this.k, this.x, this.y] = [1, 0, 0];
      this.settle();
    },
    settle() {
      const sheet = this.$refs.sheet;
      sheet.style.transform = this.k === 1 ? "" : `translate(${this.x}px, ${this.y}px) scale(${this.k})`;
      this.$refs.board.classList.toggle("close", this.k > 1);
      this.zoom = this.k === 1 ? "" : "× " + this.k.toFixed(1);
      this.$refs.board.querySelectorAll(".fine").forEach((i) => i.remove());
      this.$refs.art.style.visibility = "";
      clearTimeout(this.later);
      if (this.k > 1) this.later = setTimeout(() => this.fine(), 120);
    },
    // fine lays the engine's picture of what is in view over the stretched one.
    fine() {
      const board = this.$refs.board;
      const sheet = this.$refs.sheet;
      if (!board.dataset.part) return;
      const [px, py, pw] = board.dataset.page.split(" ").map(Number);
      const unit = pw / sheet.offsetWidth / this.k; // page units for a px
      const x0 = px - (sheet.offsetLeft + this.x) * unit;
      const y0 = py - (sheet.offsetTop + this.y) * unit;
      const box = [x0, y0, x0 + board.clientWidth * unit, y0 + board.clientHeight * unit];
      const dense = Math.min(2, window.devicePixelRatio);
      const img = new Image();
      img.className = "fine";
      img.alt = "";
      const now = [this.k, this.x, this.y].join();
      img.onload = () => {
        if (now !== [this.k, this.x, this.y].join()) return;
        this.$refs.art.style.visibility = "hidden";
        board.prepend(img);
      };
      img.src = `${board.dataset.part}&w=${Math.round(board.clientWidth * dense)}&h=${Math.round(board.clientHeight * dense)}&box=${box.map((v) => v.toPrecision(9)).join()}`;
    },
    // ask finds out what lies at a place of the window.
    async ask(cx, cy) {
      const board = this.$refs.board;
      const box = this.$refs.art.parentNode.getBoundingClientRect();
      const [px, py, pw, ph] = board.dataset.page.split(" ").map(Number);
      const x = px + ((cx - box.left) / box.width) * pw;
      const y = py + ((cy - box.top) / box.height) * ph;
      const reach = (pw / box.width) * 4;
      const answer = await fetch(`${board.dataset.at}&x=${x}&y=${y}&r=${reach}`);
      if (answer.ok) window.dispatchEvent(new CustomEvent("picked", { detail: await answer.json() }));
    },
    // tell says what was picked, and which findings are about it.
    tell(p) {
      if (!this.$refs.findings) return; // it is picked to be named
      const all = [...this.$refs.findings.children];
      all.forEach((li) => li.classList.toggle("of-it", p.findings.includes(Number(li.dataset.n))));
      const first = all.find((li) => li.classList.contains("of-it"));
      if (first) first.scrollIntoView({ block: "nearest" });
      this.picked = p.number ? "piece " + p.number + (p.part ? ", part " + p.part : ", no name yet") : p.hole ? "a bare place closed in by paint" : "bare page";
      this.about = p.number ? p.size + (p.colour ? " · " + p.colour : "") : "";
      this.painted = !!p.number;
      this.opens = "open " + p.at;
      this.fills = (p.fills || []).map((c) => ({ mend: "fill " + p.at + " " + c, says: "Fill it with " + (c === "#ffffff" ? "white" : c) }));
      this.place = p.number || p.hole ? p.at : "";
      this.show(p.number ? [p.number] : []);
    },
    // show lights pieces up; without any the art is as it is.
    show(numbers) {
      const board = this.$refs.board;
      this.swap(numbers.length ? board.dataset.lit + "&pieces=" + numbers.join() : board.dataset.whole);
    },
    swap(src) {
      const art = this.$refs.art;
      const board = this.$refs.board;
      if (!board.dataset.whole) {
        board.dataset.whole = art.getAttribute("src");
        if (!src) return;
      }
      src = src || board.dataset.whole;
      art.dataset.want = src;
      const next = new Image();
      next.onload = () => {
        if (art.dataset.want !== src) return;
        art.src = src;
        this.$refs.board.querySelectorAll(".fine").forEach((i) => i.remove());
        art.style.visibility = "";
      };
      next.src = src;
    },
    // attempt shows in place what a mend would do; leave shows the art again.
    attempt(e) {
      const form = e.target.closest("[data-mend]");
      this.trying = form.dataset.says;
      this.swap("");
      this.swap(form.dataset.mend);
    },
    leave() {
      this.trying = "";
      this.swap("");
    },
    light(e) { this.set(e, true); },
    dim(e) { this.set(e, false); },
    set(e, on) {
      for (const ring of this.$refs.board.querySelectorAll("." + e.target.dataset.ring)) ring.classList.toggle("lit", on);
    },
  }));

  // The pieces that are picked, on the art or in the list: they light up.
  Alpine.data("pieces", () => ({
    count: "",
    init() {
      const form = this.$root;
      const ticks = () => [...form.querySelectorAll("input[name=piece]")];
      const show = () => {
        const on = ticks().filter((t) => t.checked).map((t) => t.dataset.n);
        this.count = on.length ? on.length + (on.length === 1 ? " piece picked" : " pieces picked") : "";
        window.dispatchEvent(new CustomEvent("lit", { detail: on }));
      };
      form.addEventListener("change", (e) => {
        if (e.target.name === "part")
          e.target.closest("li").querySelectorAll("input[name=piece]").forEach((t) => { t.checked = e.target.checked; });
        show();
      });
      window.addEventListener("picked", (e) => {
        const p = e.detail;
        if (!p.number) return;
        let t = ticks().find((x) => x.value === p.key);
        if (!t) { // not in the list, which is bounded
          t = document.createElement("input");
          [t.type, t.name, t.value, t.hidden] = ["checkbox", "piece", p.key, true];
          t.dataset.n = p.number;
          form.append(t);
        }
        t.checked = !t.checked;
        const holder = t.closest("details");
        if (holder && t.checked) holder.open = true;
        show();
      });
    },
  }));

  // A lockup in the making, drawn by the engine while one chooses.
  Alpine.data("lockup", () => ({
    src: "",
    init() { this.draw(); },
    draw() {
      clearTimeout(this.later);
      this.later = setTimeout(() => {
        const data = new FormData(this.$root);
        const q = ["first", "second", "third", "fourth", "placed", "gap"].map((k) => k + "=" + encodeURIComponent(data.get(k) || "")).join("&");
        const next = new Image();
        const src = this.$root.dataset.from + "&" + q;
        const filled = ["first", "second"].every((k) => data.get(k));
        if (!filled && !data.get("first")) return; // nothing to draw yet
        const mine = (this.turn = (this.turn || 0) + 1);
        const shown = new Promise((tell) => {
          next.onload = () => { this.src = src; tell(); };
          next.onerror = tell;
        });
        next.src = src;
        this.hold(q, data.get("placed"), shown, mine);
      }, 120);
    },
    // hold puts a grip into each gap, to be dragged, once the picture is there by whose
    // scale it moves.
    async hold(q, placed, shown, mine) {
      const stage = this.$root.querySelector(".making");
      const clear = () => stage.querySelectorAll("button").forEach((b) => b.remove());
      if (!placed) { clear(); return; }
      const answer = await fetch(this.$root.dataset.boxes + "&" + q);
      if (!answer.ok) { clear(); return; }
      const { boxes, unit } = await answer.json();
      await shown;
      if (this.dragging || mine !== this.turn) return;
      clear();
      const across = placed === "beside";
      const [lo, hi] = across ? [0, 2] : [1, 3];
      for (let i = 1; i < boxes.length; i++) {
        const grip = document.createElement("button");
        grip.type = "button";
        grip.className = across ? "grip across" : "grip";
        grip.setAttribute("aria-label", `gap ${i}: arrow keys make it wider or narrower`);
        const from = boxes[i - 1][hi], to = boxes[i][lo];
        grip.style[across ? "left" : "top"] = ((from + to) / 2) * 100 + "%";
        grip.addEventListener("keydown", (e) => {
          const step = { ArrowRight: 5, ArrowDown: 5, ArrowLeft: -5, ArrowUp: -5 }[e.key];
          if (!step) return;
          e.preventDefault();
          this.gap(i - 1, (v) => v + step);
        });
        grip.addEventListener("pointerdown", (e) => {
          e.preventDefault();
          grip.setPointerCapture(e.pointerId);
          this.dragging = true;
          const size = stage.querySelector("img").getBoundingClientRect();
          const start = across ? e.clientX : e.clientY;
          const first = this.gaps()[i - 1];
          const move = (m) => {
            const d = ((across ? m.clientX : m.clientY) - start) / (across ? size.width * unit[0] : size.height * unit[1]);
            this.gap(i - 1, () => first + d * 100);
          };
          grip.addEventListener("pointermove", move);
          grip.addEventListener("pointerup", () => {
            grip.removeEventListener("pointermove", move);
            this.dragging = false;
            this.draw();
          }, { once: true });
        });
        stage.append(grip);
      }
    },
    // gaps are those in the field, one for each.
    gaps() {
      const n = ["second", "third", "fourth"].filter((k) => this.$root.elements[k] && this.$root.elements[k].value).length;
      const typed = this.$root.elements.gap.value.split(",").map((v) => Number(v) || 0);
      return Array.from({ length: n }, (_, i) => (i < typed.length ? typed[i] : typed[0]));
    },
    gap(i, change) {
      const all = this.gaps();
      all[i] = Math.round(Math.min(1000, Math.max(0, change(all[i]))));
      this.$root.elements.gap.value = all.every((v) => v === all[0]) ? all[0] : all.join(", ");
      this.draw();
    },
  }));

  // The colours: pointing at one shows where it is. The old picture stays
  // until the new one is there.
  Alpine.data("tones", () => ({
    show(e) { this.swap(e.target.closest("[data-tone]").dataset.tone); },
    hide() { this.swap(this.$refs.toned.dataset.whole); },
    swap(src) {
      const img = this.$refs.toned;
      img.dataset.want = src;
      const next = new Image();
      next.onload = () => { if (img.dataset.want === src) img.src = src; };
      next.src = src;
    },
  }));
});
