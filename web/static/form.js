// Forms whose outcome is seen before it is kept, and the place to drop masters.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  // A place to drop masters: one goes into the form's own field; several are
  // sent one after the other, each with its progress, and one that fails can be
  // sent again while the others are safe.
  Alpine.data("drop", () => ({
    name: "",
    over: "",
    files: [],
    some: false,
    to: "",
    many: false,
    init() {
      const root = this.$root;
      this.name = root.dataset.kept || "";
      root.addEventListener("dragover", (e) => { e.preventDefault(); this.over = "over"; });
      root.addEventListener("dragleave", () => { this.over = ""; });
      root.addEventListener("drop", (e) => {
        e.preventDefault();
        this.take(e.dataTransfer.files);
      });
    },
    // offered takes what was dropped elsewhere on the page.
    offered(e) {
      e.preventDefault();
      this.$root.scrollIntoView({ block: "center" });
      this.take(e.detail);
    },
    take(files) {
      this.over = "";
      if (!files.length) return;
      this.$root.querySelector("input[name=master]").files = files;
      this.picked();
    },
    picked() {
      const input = this.$root.querySelector("input[name=master]");
      const n = input.files.length;
      this.name = n === 1 ? input.files[0].name : n > 1 ? n + " files" : "";
      this.many = n > 1;
      const client = this.$root.querySelector("input[name=client]");
      if (this.name && !client.value) client.focus();
    },
    send(e) {
      const chosen = [...this.$root.querySelector("input[name=master]").files];
      const large = 2e6; // bytes from which one wants to see that it moves
      if (chosen.length === 0 || (chosen.length === 1 && chosen[0].size < large)) return;
      // What may be one mark is looked at together, as long as it fits into one request.
      if (chosen.length > 1 && this.$root.elements.several.value !== "designs" && chosen.reduce((sum, f) => sum + f.size, 0) < 50e6) return;
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
            this.$exchange(page, ["#work"]);
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

  // A form whose outcome is shown while one types, before it is kept: parts of
  // the page change places, the form itself stays.
  const attempts = (parts, after) => ({
    attempt() {
      clearTimeout(this.later);
      this.later = setTimeout(() => this.ask(), 150);
    },
    async ask() {
      const body = new URLSearchParams(new FormData(this.$refs.form));
      const answer = await fetch(this.$root.dataset.try, { method: "POST", body });
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      this.$exchange(page, parts);
      if (after) after.call(this);
    },
  });

  // A mark is set while one types; gaps between its letters are nudged on it.
  Alpine.data("typing", () => ({
    chosen: "",
    init() {
      const root = this.$root;
      root.addEventListener("keydown", (e) => {
        const gap = e.target.closest("rect[data-letter]");
        const way = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
        if (!gap || !way) return;
        e.preventDefault();
        this.nudge(gap, way * (e.shiftKey ? 25 : 5));
      });
    },
    later() {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.again(), 200);
    },
    nudge(gap, by) {
      const field = this.$refs.form.elements["kern" + (Number(gap.dataset.line) + 1)];
      const kern = new Map(field.value.split(",").filter(Boolean).map((p) => p.split(":")));
      const now = Number(kern.get(gap.dataset.letter) || 0) + by;
      if (now) kern.set(gap.dataset.letter, now);
      else kern.delete(gap.dataset.letter);
      field.value = [...kern].map((p) => p.join(":")).join(",");
      this.chosen = `rect[data-line="${gap.dataset.line}"][data-letter="${gap.dataset.letter}"]`;
      this.again();
    },
    async again() {
      const query = new URLSearchParams(new FormData(this.$refs.form));
      this.asked = query.toString();
      const text = await (await fetch("?" + query)).text();
      if (this.asked !== query.toString()) return; // something newer was typed
      const page = new DOMParser().parseFromString(text, "text/html");
      this.$exchange(page, ["#typed-art", "#typed-size", "#typed-wrong"]);
      if (this.chosen) this.$root.querySelector(this.chosen)?.focus();
      this.chosen = "";
    },
  }));

  // A tracing is made anew when a choice changes; the choices stay as they are. A box that is
  // drawn on the picture is where words are set anew.
  Alpine.data("tracing", () => ({
    plain: false,
    drawn: false,
    init() { this.boxes(); },
    async again() {
      const query = new URLSearchParams(new FormData(this.$refs.form));
      const answer = await fetch("?" + query);
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      this.$exchange(page, ["#outcome", ".smooth .mono", "#keep", "#anew"]);
      history.replaceState(null, "", "?" + query);
      this.boxes();
    },
    // An outline that is looked at is framed, and its corner seen closely.
    point(e) {
      const label = e.target.closest("label");
      const [x, y, w, h] = label.dataset.box.split(" ").map(Number);
      const rect = this.$root.querySelector(".asked");
      for (const [k, v] of [["x", x], ["y", y], ["width", w], ["height", h]]) rect.setAttribute(k, v);
      clearTimeout(this.wait);
      this.wait = setTimeout(() => this.near(x + w * 0.15, y + h * 0.15), 150);
    },
    near(x, y) {
      for (const img of this.$root.querySelectorAll(".near img")) {
        const url = new URL(img.src);
        url.searchParams.set("x", Math.round(x));
        url.searchParams.set("y", Math.round(y));
        img.src = url;
      }
    },
    boxes() {
      const slide = this.$root.querySelector(".slide");
      if (!slide) return; // there is no tracing
      const rect = slide.querySelector(".asked");
      slide.addEventListener("pointerdown", (e) => {
        if (e.button) return;
        e.preventDefault();
        slide.setPointerCapture(e.pointerId);
        const box = slide.getBoundingClientRect();
        const [w, h] = [Number(slide.dataset.w), Number(slide.dataset.h)];
        const at = (m) => [
          Math.min(w, Math.max(0, ((m.clientX - box.left) / box.width) * w)),
          Math.min(h, Math.max(0, ((m.clientY - box.top) / box.height) * h)),
        ];
        const from = at(e);
        let sides = null;
        const move = (m) => {
          const to = at(m);
          sides = [Math.floor(Math.min(from[0], to[0])), Math.floor(Math.min(from[1], to[1])), Math.ceil(Math.max(from[0], to[0])), Math.ceil(Math.max(from[1], to[1]))];
          for (const [k, v] of [["x", sides[0]], ["y", sides[1]], ["width", sides[2] - sides[0]], ["height", sides[3] - sides[1]]]) rect.setAttribute(k, v);
        };
        slide.addEventListener("pointermove", move);
        slide.addEventListener("pointerup", () => {
          slide.removeEventListener("pointermove", move);
          if (!sides || sides[2] - sides[0] < 3) { // a place is pointed at
            this.near(from[0], from[1]);
            return;
          }
          this.drawn = true;
          const form = this.$root.querySelector(".try");
          ["x0", "y0", "x1", "y1"].forEach((k, i) => { form.elements[k].value = sides[i]; });
          form.scrollIntoView({ block: "nearest" });
          form.elements.words.focus();
        }, { once: true });
      });
    },
  }));

  Alpine.data("recipe", () => attempts(["#table .wrong", "#list", "#tree", "#trying"]));

  // The frame can be dragged by its edge: that is the room around.
  Alpine.data("framing", () => ({
    ...attempts([".framed", ".framing .notes > .notification.is-danger", "#frame-form [role=status]"], function () { this.grip(); }),
    init() { this.grip(); },
    grip() {
      const mount = this.$root.querySelector(".mount"); // made anew at each attempt
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
          this.$refs.room.value = share + "%";
          const r = (share / 100) * Number(mount.dataset.long);
          for (const [k, v] of [["x", x0 - r], ["y", y0 - r], ["width", x1 - x0 + 2 * r], ["height", y1 - y0 + 2 * r]]) box.setAttribute(k, v);
        };
        move(e);
        mount.addEventListener("pointermove", move);
        mount.addEventListener("pointerup", () => {
          mount.removeEventListener("pointermove", move);
          const form = this.$refs.form;
          form.querySelector("[name=by][value=length]").checked = true;
          if (form.elements.fit.value === "viewbox") form.elements.fit.value = "artwork";
          this.attempt();
        }, { once: true });
      });
    },
  }));
});
