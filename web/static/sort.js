// Sorting drawings: the set as it would be, into whose cells the pictures are dragged; the fields
// under each picture say the same in words.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;
  const el = (tag, text, more) => Object.assign(document.createElement(tag), text ? { textContent: text } : {}, more || {});

  Alpine.data("sorting", () => ({
    init() { this.lay(); },
    cards() { return [...this.$root.querySelectorAll(".sorting li")].filter((li) => li.querySelector("select")); },
    said(li) {
      return { lockup: li.querySelector("[name^='lockup.']").value.trim() || "main", as: li.querySelector("select").value };
    },
    // lay draws the set as the fields say it.
    lay() {
      const into = this.$root.querySelector("#into");
      if (!into) return;
      const cards = this.cards().map((li) => ({ li, ...this.said(li) }));
      const lockups = ["main", ...into.dataset.lockups.split("|").filter(Boolean)];
      cards.forEach((c) => { if (c.as !== "leave" && !lockups.includes(c.lockup)) lockups.push(c.lockup); });
      const rows = [["lockup", "the lockup’s drawing"], ...into.dataset.colourways.split("|").map((c) => [c, c])];
      const table = el("table"), head = table.createTHead().insertRow();
      table.append(el("caption", "The set as it would be. Empty cells are derived; drag a picture into a cell to draw it.", { className: "quiet" }));
      head.append(el("td"));
      [...lockups, "+ lockup"].forEach((l) => head.append(el("th", l, { scope: "col" })));
      const body = table.createTBody();
      for (const [as, says] of rows) {
        const row = body.insertRow();
        row.append(el("th", says, { scope: "row" }));
        for (const lockup of [...lockups, ""]) {
          const cell = row.insertCell();
          if (as === "lockup" && lockup === "main") {
            const main = cards.find((c) => c.as === "main");
            if (main) cell.append(this.small(main.li));
            else cell.append(el("span", "the master", { className: "quiet" }));
            continue;
          }
          Object.assign(cell.dataset, { lockup, as });
          const here = cards.filter((c) => c.as === as && c.lockup === lockup);
          here.forEach((c) => cell.append(this.small(c.li)));
          if (here.length > 1) cell.append(el("i", "two drawings", { className: "signal look" }));
        }
      }
      into.replaceChildren(table);
      this.cards().forEach((li) => {
        li.classList.toggle("left", this.said(li).as === "leave");
        li.draggable = true;
      });
    },
    small(li) {
      const img = li.querySelector("img");
      return el("img", "", { src: img.src, alt: img.alt, draggable: true, className: "laid", width: 84, height: 56 });
    },
    card(e) {
      const at = e.target.closest && e.target.closest("li[data-n]");
      return at ? at.dataset.n : null;
    },
    grab(e) {
      const n = this.card(e);
      if (n !== null) e.dataTransfer.setData("text/plain", "drawing " + n);
    },
    cell(e) { return e.target.closest("td[data-as]"); },
    over(e) {
      this.away();
      const cell = this.cell(e);
      if (!cell) return;
      e.preventDefault();
      cell.classList.add("aimed");
    },
    away() { this.$root.querySelectorAll(".into .aimed").forEach((c) => c.classList.remove("aimed")); },
    drop(e) {
      const cell = this.cell(e);
      this.away();
      const [, n] = /^drawing (\d+)$/.exec(e.dataTransfer.getData("text/plain")) || [];
      if (!cell || n === undefined) return;
      e.preventDefault();
      const li = this.$root.querySelector(`.sorting li[data-n="${n}"]`);
      li.querySelector("select").value = cell.dataset.as;
      const name = li.querySelector("[name^='lockup.']");
      name.value = cell.dataset.lockup;
      if (!cell.dataset.lockup) name.focus();
      this.lay();
    },
  }));
});
