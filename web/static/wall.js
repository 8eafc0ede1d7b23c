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
      const big = document.getElementById("big");
      // What was changed in the large picture is seen there.
      window.addEventListener("remade", () => {
        if (!this.cell || !big.open) return;
        const to = document.querySelector(`#work tbody[data-version="${this.version}"] .cell[data-label="${CSS.escape(this.label)}"]`);
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
      const row = cell.closest("tbody");
      this.version = row.dataset.version;
      this.reads = row.dataset.reads === "yes";
      this.piece = "";
      this.said = "Point at a piece of the art to say what it is.";
      const rings = document.querySelector("#big .lost");
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
      const seen = page.querySelector(".docket").dataset.seen; // parts of the page move over
      const weighed = page.querySelector(".weight[x-data]");
      const known = document.querySelector(".weight");
      if (weighed && known) weighed.textContent = known.textContent;
      for (const part of [".docket", ".thread", "#work > .foot"]) {
        const [was, is] = [document.querySelector(part), page.querySelector(part)];
        if (was && is && was.innerHTML !== is.innerHTML) was.replaceWith(is);
      }
      document.querySelector(".docket").dataset.seen = seen;
      fresh.querySelectorAll("tbody").forEach((is) => {
        const was = document.querySelector(`#work tbody[data-version="${is.dataset.version}"]`);
        if (was && was.dataset.look !== is.dataset.look) this.swap(was, is);
      });
      document.getElementById("saved").textContent = (e.submitter ? e.submitter.textContent : "") + ": kept";
      window.dispatchEvent(new CustomEvent("remade"));
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
});
