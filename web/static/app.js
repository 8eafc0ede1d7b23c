// Behaviour of the pages, one small component for each. Every page works
// without it; it only makes things quicker.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  // Keys that work on every page of a mark, and on the desk.
  Alpine.data("keys", () => ({
    init() {
      const here = document.querySelector(".thread .here");
      if (here) here.closest(".thread").scrollLeft = here.offsetLeft - 20; // on a narrow screen
      if (document.body.dataset.keys) return; // the docket may be made anew
      document.body.dataset.keys = "on";
      document.addEventListener("keydown", (e) => this.press(e));
      // A change says which state of the mark it was made upon, so that one
      // sees what others decided meanwhile.
      document.addEventListener("formdata", (e) => {
        const docket = document.querySelector("[data-seen]");
        if (docket) e.formData.set("seen", docket.dataset.seen);
      });
    },
    press(e) {
      const t = e.target;
      if (e.ctrlKey || e.metaKey || e.altKey || t.closest("input, textarea, select, dialog[open]")) return;
      const base = this.$root.dataset.base;
      const find = document.getElementById("find");
      if (e.key === "/") {
        e.preventDefault();
        if (find) find.focus();
        else location.href = "/#find";
        return;
      }
      if (!base) return;
      const stations = ["master", "inks", "versions", "files", "proof", "kit"];
      const n = Number(e.key);
      if (n >= 1 && n <= stations.length) location.href = base + stations[n - 1];
      else if (e.key === "z") document.getElementById("undo").requestSubmit();
      else if (e.key === "y") document.getElementById("redo").requestSubmit();
      else if (e.key === "?") document.getElementById("shortcuts").showModal();
      else if (e.key === "g") window.dispatchEvent(new CustomEvent("ground"));
      else if (e.key === "b") {
        const form = document.getElementById("build");
        if (form && !form.querySelector("button").disabled) form.submit();
      }
    },
  }));

  // A place to drop masters: one goes into the form's own field; several are
  // sent one after the other, each with its progress, and one that fails can be
  // sent again while the others are safe.
  Alpine.data("drop", () => ({
    name: "",
    over: "",
    files: [],
    some: false,
    to: "",
    init() {
      const root = this.$root;
      root.addEventListener("dragover", (e) => { e.preventDefault(); this.over = "over"; });
      root.addEventListener("dragleave", () => { this.over = ""; });
      root.addEventListener("drop", (e) => {
        e.preventDefault();
        this.over = "";
        if (!e.dataTransfer.files.length) return;
        root.querySelector("input[name=master]").files = e.dataTransfer.files;
        this.picked();
      });
    },
    picked() {
      const input = this.$root.querySelector("input[name=master]");
      const n = input.files.length;
      this.name = n === 1 ? input.files[0].name : n > 1 ? n + " files: candidates to choose from" : "";
      const client = this.$root.querySelector("input[name=client]");
      if (this.name && !client.value) client.focus();
    },
    send(e) {
      const chosen = [...this.$root.querySelector("input[name=master]").files];
      const large = 2e6; // bytes from which one wants to see that it moves
      if (chosen.length === 1 && chosen[0].size < large) return;
      e.preventDefault();
      this.some = true;
      this.files = chosen.map((file, i) => ({ key: i, file, name: file.name, says: "waits", state: "", done: 0, again: false }));
      this.work();
    },
    again(e) {
      const f = this.files[Number(e.target.dataset.key)];
      [f.says, f.state, f.again] = ["waits", "", false];
      this.work();
    },
    // work sends what waits, one at a time.
    async work() {
      if (this.busy) return;
      this.busy = true;
      let f;
      while ((f = this.files.find((x) => x.says === "waits"))) await this.one(f);
      this.busy = false;
    },
    one(f) {
      const single = this.files.length === 1;
      const data = new FormData(this.$root);
      data.delete("master");
      data.append("master", f.file, f.name);
      f.says = "is sent";
      return new Promise((done) => {
        const x = new XMLHttpRequest();
        x.open("POST", single ? this.$root.action : "/candidates");
        if (!single) x.setRequestHeader("Accept", "application/json");
        x.upload.onprogress = (p) => {
          f.done = (p.loaded / p.total) * 100;
          if (p.loaded === p.total) f.says = "is read";
        };
        const fails = (says) => { [f.says, f.state, f.again] = [says, "failed", true]; done(); };
        x.onerror = () => fails("The connection broke off. Nothing was changed.");
        x.onload = () => {
          if (single && x.status === 200) { location.href = x.responseURL; return; }
          if (single) {
            const page = new DOMParser().parseFromString(x.responseText, "text/html");
            document.getElementById("work").replaceWith(page.getElementById("work"));
            return;
          }
          let answer = {};
          try { answer = JSON.parse(x.responseText); } catch (_) { /* not from this server */ }
          if (!answer.to) { fails(answer.error || "It could not be taken in."); return; }
          [f.says, f.state, f.done, this.to] = ["taken in", "done", 100, answer.to];
          done();
        };
        x.send(data);
      });
    },
  }));

  // What the files weigh is found while one looks on.
  Alpine.data("weight", () => ({
    init() {
      setTimeout(async () => { // pictures come first
        const answer = await fetch(this.$root.dataset.from);
        if (answer.ok) this.$root.textContent = await answer.text();
      }, 400);
    },
  }));

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
      const board = document.getElementById("board");
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
      const board = document.getElementById("board");
      this.scale(f, board.clientWidth / 2, board.clientHeight / 2);
    },
    // scale looks closer by a factor, the place at cx, cy held.
    scale(f, cx, cy) {
      const k = Math.min(200, Math.max(1, this.k * f));
      const sheet = document.querySelector(".sheet-of-art");
      const [ox, oy] = [sheet.offsetLeft, sheet.offsetTop];
      this.x = cx - ox - (cx - ox - this.x) * k / this.k;
      this.y = cy - oy - (cy - oy - this.y) * k / this.k;
      this.k = k;
      if (k === 1) [this.x, this.y] = [0, 0];
      this.place();
    },
    shift(dx, dy) {
      if (this.k === 1) return;
      this.x += dx;
      this.y += dy;
      this.place();
    },
    whole() {
      [this.k, this.x, this.y] = [1, 0, 0];
      this.place();
    },
    place() {
      const sheet = document.querySelector(".sheet-of-art");
      sheet.style.transform = this.k === 1 ? "" : `translate(${this.x}px, ${this.y}px) scale(${this.k})`;
      document.getElementById("board").classList.toggle("close", this.k > 1);
      this.zoom = this.k === 1 ? "" : "× " + this.k.toFixed(1);
      document.querySelectorAll(".board .fine").forEach((i) => i.remove());
      document.getElementById("art").style.visibility = "";
      clearTimeout(this.later);
      if (this.k > 1) this.later = setTimeout(() => this.fine(), 120);
    },
    // fine lays the engine's picture of what is in view over the stretched one.
    fine() {
      const board = document.getElementById("board");
      const sheet = document.querySelector(".sheet-of-art");
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
        document.getElementById("art").style.visibility = "hidden";
        board.prepend(img);
      };
      img.src = `${board.dataset.part}&w=${Math.round(board.clientWidth * dense)}&h=${Math.round(board.clientHeight * dense)}&box=${box.map((v) => v.toPrecision(9)).join()}`;
    },
    // ask finds out what lies at a place of the window.
    async ask(cx, cy) {
      const board = document.getElementById("board");
      const box = document.getElementById("art").parentNode.getBoundingClientRect();
      const [px, py, pw, ph] = board.dataset.page.split(" ").map(Number);
      const x = px + ((cx - box.left) / box.width) * pw;
      const y = py + ((cy - box.top) / box.height) * ph;
      const reach = (pw / box.width) * 4;
      const answer = await fetch(`${board.dataset.at}&x=${x}&y=${y}&r=${reach}`);
      if (answer.ok) window.dispatchEvent(new CustomEvent("picked", { detail: await answer.json() }));
    },
    // tell says what was picked, and which findings are about it.
    tell(p) {
      if (document.getElementById("naming")) return; // there it is picked to be named
      document.querySelectorAll(".findings li").forEach((li) => li.classList.toggle("of-it", p.findings.includes(Number(li.dataset.n))));
      const first = document.querySelector(".findings .of-it");
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
      const board = document.getElementById("board");
      this.swap(numbers.length ? board.dataset.lit + "&pieces=" + numbers.join() : board.dataset.whole);
    },
    swap(src) {
      const art = document.getElementById("art");
      const board = document.getElementById("board");
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
        document.querySelectorAll(".board .fine").forEach((i) => i.remove());
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
      const ring = document.getElementById(e.target.dataset.ring);
      if (ring) ring.classList.toggle("lit", on);
    },
  }));

  // The pieces that are picked, on the art or in the list: they light up.
  Alpine.data("pieces", () => ({
    init() {
      const form = document.getElementById("naming");
      const ticks = () => [...form.querySelectorAll("input[name=piece]")];
      const show = () => {
        const on = ticks().filter((t) => t.checked).map((t) => t.dataset.n);
        document.getElementById("count").textContent = on.length ? on.length + (on.length === 1 ? " piece picked" : " pieces picked") : "";
        this.show(on);
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
        next.onload = () => { this.src = src; };
        next.src = src;
      }, 120);
    },
  }));

  // A form whose outcome is shown while one types, before it is kept: parts of
  // the page change places, the form itself stays.
  const attempts = (parts, after) => ({
    attempt() {
      clearTimeout(this.later);
      this.later = setTimeout(() => this.ask(), 150);
    },
    async ask() {
      const form = document.querySelector("#frame-form, #table");
      const body = new URLSearchParams(new FormData(form));
      const answer = await fetch(this.$root.dataset.try, { method: "POST", body });
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      for (const part of parts) {
        const [was, is] = [document.querySelector(part), page.querySelector(part)];
        if (was && is) was.replaceWith(document.importNode(is, true));
      }
      if (after) after.call(this);
    },
  });

  Alpine.data("recipe", () => attempts(["#table .wrong", "#list", "#tree", "#trying"]));

  // The frame can be dragged by its edge: that is the room around.
  Alpine.data("framing", () => ({
    ...attempts([".framed", ".framing .notes > .error", "#frame-form [role=status]"], function () { this.grip(); }),
    init() { this.grip(); },
    grip() {
      const mount = document.getElementById("mount");
      if (!mount) return;
      mount.addEventListener("pointerdown", (e) => {
        if (e.button) return;
        e.preventDefault();
        mount.setPointerCapture(e.pointerId);
        const svg = mount.querySelector(".lines");
        const box = svg.querySelector(".frame-box");
        const [x0, y0, x1, y1] = mount.dataset.art.split(" ").map(Number);
        const move = (m) => {
          const p = new DOMPoint(m.clientX, m.clientY).matrixTransform(svg.getScreenCTM().inverse());
          const room = Math.max(0, x0 - p.x, p.x - x1, y0 - p.y, p.y - y1);
          const share = Math.round((room / Number(mount.dataset.long)) * 1000) / 10;
          document.getElementById("room").value = share + "%";
          const r = (share / 100) * Number(mount.dataset.long);
          for (const [k, v] of [["x", x0 - r], ["y", y0 - r], ["width", x1 - x0 + 2 * r], ["height", y1 - y0 + 2 * r]]) box.setAttribute(k, v);
        };
        move(e);
        mount.addEventListener("pointermove", move);
        mount.addEventListener("pointerup", () => {
          mount.removeEventListener("pointermove", move);
          const form = document.getElementById("frame-form");
          form.querySelector("[name=by][value=length]").checked = true;
          if (form.elements.fit.value === "viewbox") form.elements.fit.value = "artwork";
          this.attempt();
        }, { once: true });
      });
    },
  }));

  // Two pictures over each other with a border that slides.
  Alpine.data("slide", () => ({
    init() { this.move(); },
    move() {
      const at = this.$root.querySelector(".slider").value;
      this.$root.querySelector(".over").style.clipPath = `inset(0 ${100 - at}% 0 0)`;
      this.$root.querySelector(".edge").style.left = at + "%";
    },
  }));

  // The colours: pointing at one shows where it is. The old picture stays
  // until the new one is there.
  Alpine.data("tones", () => ({
    show(e) { this.swap(e.target.closest("[data-tone]").dataset.tone); },
    hide() { this.swap(document.getElementById("toned").dataset.whole); },
    swap(src) {
      const img = document.getElementById("toned");
      img.dataset.want = src;
      const next = new Image();
      next.onload = () => { if (img.dataset.want === src) img.src = src; };
      next.src = src;
    },
  }));

  // The wall: a click makes a cell large, the arrow keys walk.
  Alpine.data("wall", () => ({
    src: "",
    label: "",
    init() {
      const big = document.getElementById("big");
      big.addEventListener("keydown", (e) => {
        const to = this.beside(this.cell, e.key);
        if (!to) return;
        e.preventDefault();
        this.fill(to);
      });
      big.addEventListener("close", () => { if (this.cell) this.cell.focus(); });
      // An open chip closes when one points elsewhere.
      document.addEventListener("pointerdown", (e) => {
        document.querySelectorAll("details[name=reading][open]").forEach((d) => { if (!d.contains(e.target)) d.open = false; });
      });
    },
    cell: null,
    open(e) {
      this.fill(e.target.closest(".cell"));
      document.getElementById("big").showModal();
    },
    fill(cell) {
      this.cell = cell;
      this.src = cell.dataset.large;
      this.label = cell.dataset.label;
      const rings = document.querySelector("#big .lost");
      const wanted = cell.closest("tbody").querySelector(".ring-lost:checked");
      rings.setAttribute("viewBox", cell.dataset.view);
      rings.replaceChildren(...[...(wanted ? cell.querySelectorAll(".lost rect") : [])].map((r) => r.cloneNode()));
    },
    walk(e) {
      const to = this.beside(e.target.closest(".cell"), e.key);
      if (!to) return;
      e.preventDefault();
      to.focus();
    },
    beside(cell, key) {
      const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[key];
      if (!step || !cell) return null;
      const rows = [...document.querySelectorAll(".wall tbody tr")]
        .map((r) => [...r.querySelectorAll(".cell")]).filter((r) => r.length);
      const r = rows.findIndex((x) => x.includes(cell));
      const row = rows[r + step[0]];
      return row ? row[rows[r].indexOf(cell) + step[1]] || null : null;
    },
  }));

  // A colour as one ink reads it: its places light up in all cells of the row.
  Alpine.data("chip", () => ({
    light() {
      if (this.$root.dataset.still) return;
      const src = this.$root.dataset.light;
      this.$root.closest("tbody").querySelectorAll(".cell").forEach((cell) => {
        if (cell.querySelector(".lit")) return;
        const img = new Image();
        img.className = "lit";
        img.alt = "";
        img.src = src;
        cell.querySelector("img").after(img);
      });
    },
    dim(e) {
      if (e.type === "mouseleave" && this.$root.contains(document.activeElement)) return;
      this.$root.closest("tbody").querySelectorAll(".lit").forEach((x) => x.remove());
      if (e.type === "mouseleave") delete this.$root.dataset.still;
    },
    close() {
      this.$root.open = false;
      this.$root.querySelector("summary").focus();
    },
  }));

  // A form whose answer is this page made anew: only what is on it changes
  // places, and every old picture stays until its new one is there.
  Alpine.data("remake", () => ({
    async send(e) {
      const form = e.target;
      const holder = form.closest("details");
      const data = new FormData(form, e.submitter);
      let page;
      try {
        const answer = await fetch(form.action, { method: "POST", headers: { Accept: "text/html" }, body: new URLSearchParams(data) });
        page = new DOMParser().parseFromString(await answer.text(), "text/html");
      } catch (_) { /* the server is away: the browser says so itself */ }
      const fresh = page && page.getElementById("work");
      if (!fresh) { form.submit(); return; }
      const weighed = page.querySelector(".weight[x-data]");
      if (weighed) weighed.textContent = document.querySelector(".weight").textContent;
      for (const part of [".docket", ".thread", "#work > .foot"]) {
        const [was, is] = [document.querySelector(part), page.querySelector(part)];
        if (was.innerHTML !== is.innerHTML) was.replaceWith(is);
      }
      document.querySelector(".docket").dataset.seen = page.querySelector(".docket").dataset.seen;
      fresh.querySelectorAll("tbody").forEach((is) => {
        const was = document.querySelector(`#work tbody[data-version="${is.dataset.version}"]`);
        if (was && was.dataset.look !== is.dataset.look) this.swap(was, is);
      });
      document.getElementById("saved").textContent = e.submitter.textContent + ": kept";
      const chip = holder && document.getElementById(holder.id);
      if (!chip) return;
      chip.dataset.still = "yes"; // the outcome is what one wants to see now
      chip.querySelector("summary").focus();
    },
    // swap puts a row made anew in the place of the old one.
    swap(was, is) {
      const pictures = [...was.querySelectorAll(".cell > img:not(.lit)")];
      is.querySelectorAll(".cell > img").forEach((img, i) => {
        const before = pictures[i];
        if (!before) return;
        const next = document.importNode(img);
        next.loading = "eager";
        next.onload = () => before.replaceWith(next);
        next.src = img.getAttribute("src");
        img.replaceWith(before);
      });
      const ring = (row) => row.querySelector(".ring-lost") || {};
      ring(is).checked = ring(was).checked;
      was.replaceWith(is);
    },
  }));

  // A file at true pixels, whatever the screen's density.
  Alpine.data("proof", () => ({
    init() {
      const img = document.getElementById("true");
      if (!img) return;
      const fit = () => {
        img.style.width = Number(img.dataset.w) / window.devicePixelRatio + "px";
        img.style.height = "auto";
      };
      fit();
      window.addEventListener("resize", fit);
    },
  }));

  // A build: its progress comes as events; at the end the page shows the kit.
  Alpine.data("job", () => ({
    text: "",
    init() {
      this.text = this.$root.querySelector("[x-text]").textContent;
      const source = new EventSource(this.$root.dataset.events);
      source.onmessage = (e) => {
        const j = JSON.parse(e.data);
        this.$refs.bar.max = j.total || 1;
        this.$refs.bar.value = j.done;
        this.text = j.done + " of " + j.total + " files" + (j.left ? " · about " + j.left + " s left" : "") + (j.what ? " · " + j.what : "");
        if (j.state !== "waiting" && j.state !== "running") {
          source.close();
          location.reload();
        }
      };
    },
  }));
});
