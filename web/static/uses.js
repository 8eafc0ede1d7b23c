// The uses of files: a change by a chip shows at once, a frame of the ladder can
// be dragged by its corner.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  Alpine.data("uses", () => ({
    init() { this.$root.querySelectorAll(".rung").forEach((g) => this.grip(g)); },
    // send makes the change and puts the answer's parts into their places.
    async send(e) {
      e.preventDefault();
      const form = e.target;
      const data = new FormData(form, e.submitter);
      if (data.get("do") && data.get("do").startsWith("size ") && !data.get("typed")) return; // nothing was typed
      let page;
      try {
        const answer = await fetch(form.action, { method: "POST", headers: { Accept: "text/html" }, body: new URLSearchParams(data) });
        page = new DOMParser().parseFromString(await answer.text(), "text/html");
      } catch (_) { /* the server is away: the browser says so itself */ }
      if (!page || !page.getElementById("uses")) { form.submit(); return; }
      const value = e.submitter && e.submitter.value;
      this.$exchange(page, [".docket", ".thread", ".recipe", "#list", "#uses"], value && `#uses [value="${CSS.escape(value)}"]`);
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
