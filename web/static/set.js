// The set: a cell that is chosen is looked at beside it, the arrow keys walk, a file dropped on a
// cell draws it.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  Alpine.data("set", () => ({
    init() { this.$root.classList.add("scripted"); },
    // choose puts what is said of a cell into its place, without the page around it.
    async choose(e) {
      const root = this.$root; // the link may be gone when the answer is there
      const link = e.target.closest("a");
      const was = document.activeElement;
      let page;
      try {
        const answer = await fetch(link.href, { headers: { Accept: "text/html" } });
        if (answer.ok) page = new DOMParser().parseFromString(await answer.text(), "text/html");
      } catch (_) { /* the server is away: the browser says so itself */ }
      if (!page || !page.getElementById("chosen")) { location.href = link.href; return; }
      history.replaceState(null, "", link.href);
      this.$exchange(page, ["#chosen"]);
      const here = page.querySelector(".of.here");
      root.querySelectorAll(".of.here").forEach((x) => { x.classList.remove("here"); x.removeAttribute("aria-current"); });
      const now = here && root.querySelector(`.of[data-version="${CSS.escape(here.dataset.version)}"]`);
      if (now) { now.classList.add("here"); now.setAttribute("aria-current", "true"); }
      if (was && was.isConnected) was.focus();
    },
    // unfold opens what a plus speaks of.
    unfold(e) {
      const to = document.querySelector(e.target.getAttribute("href"));
      to.open = true;
      to.querySelector("input:not([type=hidden]), select, button").focus();
      e.preventDefault();
    },
    walk(e) {
      const cell = e.target.closest("td");
      const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[e.key];
      if (!cell) return;
      if (e.key === "Delete") {
        const of = cell.querySelector("a.of");
        if (!of) return;
        e.preventDefault();
        const form = document.createElement("form");
        form.method = "post";
        form.action = this.$root.querySelector("#dropped").action.replace(/drawing$/, "cell");
        form.append(Object.assign(document.createElement("input"), { type: "hidden", name: "leave", value: of.dataset.version }));
        this.$root.append(form);
        form.requestSubmit();
        return;
      }
      if (!step) return;
      const rows = [...this.$root.querySelectorAll("#set tbody tr")].map((r) => [...r.querySelectorAll("td")]);
      let r = rows.findIndex((x) => x.includes(cell));
      let c = rows[r].indexOf(cell);
      for (;;) {
        r += step[0];
        c += step[1];
        const to = rows[r] && rows[r][c];
        if (!to) return;
        const of = to.querySelector("a.of, button.of");
        if (of) { e.preventDefault(); of.focus(); return; }
      }
    },
    aim(e) {
      if (!e.dataTransfer || ![...e.dataTransfer.types].includes("Files")) return null;
      const cell = e.target.closest("td[data-colourway]");
      return cell && !cell.querySelector(".bare") ? cell : null;
    },
    over(e) {
      const cell = this.aim(e);
      this.away();
      if (!cell) return;
      e.preventDefault();
      cell.classList.add("aimed");
    },
    away() { this.$root.querySelectorAll(".aimed").forEach((x) => x.classList.remove("aimed")); },
    drop(e) {
      const cell = this.aim(e);
      this.away();
      if (!cell || e.dataTransfer.files.length !== 1) return;
      e.preventDefault();
      const form = this.$root.querySelector("#dropped");
      form.elements.lockup.value = cell.dataset.lockup;
      form.elements.colourway.value = cell.dataset.colourway;
      form.elements.drawing.files = e.dataTransfer.files;
      form.requestSubmit();
    },
  }));
});
