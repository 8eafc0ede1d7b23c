// The wall of versions and the words on their colours.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  // The wall: a click makes a cell large, the arrow keys walk.
  Alpine.data("wall", () => ({
    src: "",
    label: "",
    version: "",
    piece: "",
    reads: false,
    said: "",
    init() {
      const big = this.$refs.big;
      // What was changed in the large picture is seen there.
      window.addEventListener("remade", () => {
        if (!this.cell || !big.open) return;
        const to = this.$root.querySelector(`tbody[data-version="${this.version}"] .cell[data-label="${CSS.escape(this.label)}"]`);
        if (to) { this.cell = to; this.src = to.dataset.large; }
      });
      big.addEventListener("keydown", (e) => {
        const to = this.beside(this.cell, e.key);
        if (!to) return;
        e.preventDefault();
        this.fill(to);
      });
      big.addEventListener("close", () => { if (this.cell) this.cell.focus(); });
      // An open chip closes when one points elsewhere.
      document.addEventListener("pointerdown", (e) => {
        this.$root.querySelectorAll("details[name=reading][open]").forEach((d) => { if (!d.contains(e.target)) d.open = false; });
      });
    },
    cell: null,
    // remake puts the rows that are others now into the places of the old ones;
    // every old picture stays until its new one is there.
    remake(e) {
      e.detail.querySelectorAll("tbody").forEach((is) => {
        const was = this.$root.querySelector(`tbody[data-version="${is.dataset.version}"]`);
        if (was && was.dataset.look !== is.dataset.look) this.swap(was, is);
      });
    },
    // back gives the focus to the chip that was changed, and shows the outcome.
    back(e) {
      const chip = e.detail && this.$root.querySelector("#" + CSS.escape(e.detail));
      if (!chip) return;
      chip.dataset.still = "yes";
      chip.querySelector("summary").focus();
    },
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
    open(e) {
      this.fill(e.target.closest(".cell"));
      this.$refs.big.showModal();
    },
    fill(cell) {
      this.cell = cell;
      this.src = cell.dataset.large;
      this.label = cell.dataset.label;
      const row = cell.closest("tbody");
      this.version = row.dataset.version;
      this.reads = row.dataset.reads === "yes";
      this.piece = "";
      this.said = "Point at a piece of the art to say what it is.";
      const rings = this.$refs.lost;
      const wanted = cell.closest("tbody").querySelector(".ring-lost:checked");
      rings.setAttribute("viewBox", cell.dataset.view);
      rings.replaceChildren(...[...(wanted ? cell.querySelectorAll(".lost rect") : [])].map((r) => r.cloneNode()));
    },
    // point asks what lies at a place of the large picture.
    async point(e) {
      if (!this.reads) return;
      const img = e.currentTarget.querySelector("img").getBoundingClientRect();
      const [x, y, w, h] = this.cell.dataset.view.split(" ").map(Number);
      const k = w / img.width;
      const at = `&x=${x + (e.clientX - img.left) * k}&y=${y + ((e.clientY - img.top) * h) / img.height}&r=${4 * k}`;
      const answer = await fetch(e.currentTarget.dataset.at + at);
      if (!answer.ok) return;
      const p = await answer.json();
      this.piece = p.key || "";
      this.said = p.key ? `Piece ${p.number}${p.part ? ", " + p.part : ""}${p.colour ? ", " + p.colour : ""}, alone, is` : "Nothing is painted there.";
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
      const rows = [...this.$refs.wall.querySelectorAll("tbody tr")]
        .map((r) => [...r.querySelectorAll(".cell")]).filter((r) => r.length);
      const r = rows.findIndex((x) => x.includes(cell));
      const row = rows[r + step[0]];
      return row ? row[rows[r].indexOf(cell) + step[1]] || null : null;
    },
  }));

  // A row of the wall: the places of a colour that is pointed at light up in all of
  // its cells.
  Alpine.data("row", () => ({
    light(e) {
      this.$root.querySelectorAll(".cell").forEach((cell) => {
        if (cell.querySelector(".lit")) return;
        const img = new Image();
        img.className = "lit";
        img.alt = "";
        img.src = e.detail;
        cell.querySelector("img").after(img);
      });
    },
    dim() { this.$root.querySelectorAll(".lit").forEach((x) => x.remove()); },
  }));

  // A colour as one ink reads it.
  Alpine.data("chip", () => ({
    light() {
      if (!this.$root.dataset.still) this.$dispatch("light", this.$root.dataset.light);
    },
    dim(e) {
      if (e.type === "mouseleave" && this.$root.contains(document.activeElement)) return;
      this.$dispatch("dim");
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
      // A row made anew takes the pictures of the old one with it.
      window.dispatchEvent(new CustomEvent("rows", { detail: fresh }));
      this.$exchange(page, [".docket", ".thread", "#work > .foot"]);
      const kept = e.submitter ? e.submitter.textContent : "";
      window.dispatchEvent(new CustomEvent("saved", { detail: kept + ": kept" }));
      window.dispatchEvent(new CustomEvent("remade", { detail: holder && holder.id }));
    },
  }));
});
