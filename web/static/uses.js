// The uses of files: a change by a chip shows at once, a frame of the ladder can
// be dragged by its corner.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  Alpine.data("uses", () => ({
    init() {
      this.$root.querySelectorAll(".rung").forEach((g) => this.grip(g));
      // A finger that was held still strokes, and does not scroll.
      this.$root.addEventListener("touchmove", (e) => { if (this.held && this.held.ready) e.preventDefault(); }, { passive: false });
      this.$root.addEventListener("contextmenu", (e) => { if (this.held && this.held.touch) e.preventDefault(); });
    },
    // send makes the change and puts the answer's parts into their places, one change after the
    // other, and none under a pointer that is down.
    sent: Promise.resolve(),
    send(e) {
      e.preventDefault();
      const form = e.target;
      const data = new FormData(form, e.submitter);
      if (data.get("do") && data.get("do").startsWith("size ") && !data.get("typed")) return; // nothing was typed
      const value = e.submitter && e.submitter.value;
      const change = () => this.change(form, data, value);
      this.sent = this.sent.then(change, change); // whatever became of the one before
    },
    async change(form, data, value) {
      let page;
      try {
        const answer = await fetch(form.action, { method: "POST", headers: { Accept: "text/html" }, body: new URLSearchParams(data) });
        page = new DOMParser().parseFromString(await answer.text(), "text/html");
      } catch (_) { /* the server is away: the browser says so itself */ }
      if (!page || !page.getElementById("uses")) {
        if (form.isConnected) form.submit(); else location.reload();
        return;
      }
      while (this.held) await new Promise((r) => setTimeout(r, 30));
      const scrolled = this.$root.querySelector(".strokes").scrollLeft;
      this.$exchange(page, [".docket", ".thread", ".recipe", "#list", "#uses"], value && `#uses [value="${CSS.escape(value)}"]`);
      document.querySelector("#uses .strokes").scrollLeft = scrolled;
    },
    // choose shows the sizes of another line.
    async choose(e) {
      const link = e.target.closest("a");
      let page;
      try {
        const answer = await fetch(link.href);
        page = new DOMParser().parseFromString(await answer.text(), "text/html");
      } catch (_) { /* the server is away: the browser says so itself */ }
      if (!page || !page.getElementById("uses")) { location.href = link.href; return; }
      history.replaceState(null, "", link.href);
      this.$exchange(page, ["#uses"], `#uses a[href="${CSS.escape(link.getAttribute("href"))}"]`);
    },
    // A stroke over squares puts all of them in, or takes them out, as the first one; it is sent
    // when the pointer is lifted. A press on one is a button's own. A finger that moves at once
    // scrolls; one that was held still for a moment strokes.
    held: null,
    press(e) {
      const square = e.target.closest(".square");
      if (!square || e.button) return;
      if (square.hasPointerCapture(e.pointerId)) square.releasePointerCapture(e.pointerId);
      const touch = e.pointerType === "touch";
      const held = this.held = { on: square.getAttribute("aria-pressed") !== "true", squares: [square], touch, ready: !touch };
      const form = square.form;
      const still = touch && setTimeout(() => {
        held.ready = true;
        square.setAttribute("aria-pressed", String(held.on));
      }, Number(form.dataset.hold));
      const letGo = () => {
        clearTimeout(still);
        document.removeEventListener("pointerup", end);
        document.removeEventListener("pointercancel", cancel);
        this.held = null;
      };
      // A finger that begins to scroll takes the stroke back.
      const cancel = () => {
        letGo();
        for (const s of held.squares) s.setAttribute("aria-pressed", String(!held.on));
      };
      const end = () => {
        const stroked = touch ? held.ready : held.squares.length > 1;
        letGo();
        if (!stroked) return;
        const stop = (c) => { c.preventDefault(); c.stopPropagation(); };
        form.addEventListener("click", stop, { capture: true });
        setTimeout(() => {
          form.removeEventListener("click", stop, { capture: true });
          const button = document.createElement("button");
          button.name = "do";
          button.value = (held.on ? "stroke " : "unstroke ") + held.squares.map((s) => s.dataset.at).join("\t");
          button.hidden = true;
          form.append(button);
          form.requestSubmit(button);
        });
      };
      document.addEventListener("pointerup", end);
      document.addEventListener("pointercancel", cancel);
    },
    drag(e) {
      const square = e.target.closest(".square");
      if (!this.held || !this.held.ready || !square || this.held.squares.includes(square)) return;
      this.held.squares.push(square);
      for (const s of this.held.squares) s.setAttribute("aria-pressed", String(this.held.on));
    },
    // Arrows walk from square to square.
    walk(e) {
      const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[e.key];
      const square = e.target.closest(".square");
      if (!step || !square) return;
      const rows = [...this.$root.querySelectorAll(".squares tbody tr")].map((r) => [...r.querySelectorAll(".square")]);
      const r = rows.findIndex((x) => x.includes(square));
      const to = (rows[r + step[0]] || [])[rows[r].indexOf(square) + step[1]];
      if (!to) return;
      e.preventDefault();
      to.focus();
    },
    grip(g) {
      const svg = g.ownerSVGElement;
      const [rect, dot, text] = ["rect", "circle", "text"].map((n) => g.querySelector(n));
      const k = Number(svg.dataset.scale);
      const high = Number(svg.dataset.high);
      dot.addEventListener("pointerdown", (e) => {
        if (e.button) return;
        e.preventDefault();
        dot.setPointerCapture(e.pointerId);
        g.classList.add("held");
        const ratio = Number(rect.getAttribute("height")) / Number(rect.getAttribute("width"));
        let width = 0;
        const move = (m) => {
          const p = new DOMPoint(m.clientX, m.clientY).matrixTransform(svg.getScreenCTM().inverse());
          width = Math.max(16, Math.round((p.x * k) / 10) * 10);
          const w = width / k;
          for (const [n, v] of [["width", w], ["height", w * ratio], ["y", high - w * ratio]]) rect.setAttribute(n, v);
          if (text) { text.textContent = width; text.setAttribute("x", w - 4); text.setAttribute("y", high - w * ratio + 13); }
          dot.setAttribute("cx", w);
          dot.setAttribute("cy", high - w * ratio);
        };
        dot.addEventListener("pointermove", move);
        dot.addEventListener("pointerup", () => {
          dot.removeEventListener("pointermove", move);
          g.classList.remove("held");
          if (!width) return;
          const form = svg.closest("form");
          const height = /^h/.test(g.dataset.size) ? "h" + Math.round(width * ratio) : "" + width;
          form.elements.do.value = `resize ${g.dataset.line} ${g.dataset.size}`;
          form.elements.typed.value = height;
          form.requestSubmit();
        }, { once: true });
      });
    },
  }));
});
