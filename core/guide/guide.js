"use strict";
// The page works without this: it answers typed words at once and copies values.
(() => {
  const bare = s => s.toLowerCase().replaceAll("ß", "ss").normalize("NFD").replace(/\p{Mn}/gu, "").replace(/[^\p{L}\p{Nd}]+/gu, " ").trim();
  const form = document.getElementById("ask");
  if (form && form.hidden) { // a server reads whole sentences
    const typed = document.getElementById("typed"), said = document.getElementById("said");
    const all = [...document.querySelectorAll("[data-words]")];
    const find = () => {
      const words = " " + bare(typed.value) + " ";
      let got = null, longest = 0;
      for (const li of all) {
        li.classList.remove("found");
        for (const w of li.dataset.words.split("|")) {
          if (w.length > longest && words.includes(" " + w + " ")) { got = li; longest = w.length; }
        }
      }
      if (got) got.classList.add("found");
      said.textContent = typed.value.trim() === "" ? "" : got ? said.dataset.found : said.dataset.none;
    };
    form.hidden = false;
    typed.addEventListener("input", find);
    form.addEventListener("submit", e => { e.preventDefault(); find(); });
  }
  const choosing = document.getElementById("choosing");
  if (choosing) { // what is chosen is shown at once
    let newest = 0, wait = 0;
    const show = async () => {
      const mine = ++newest, at = "?" + new URLSearchParams(new FormData(choosing));
      const answer = await fetch(at).catch(() => null);
      if (!answer || mine !== newest) return;
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      const made = page.getElementById("chosen");
      if (!made || mine !== newest) return;
      document.getElementById("chosen").replaceChildren(...made.childNodes);
    };
    choosing.addEventListener("change", show);
    choosing.addEventListener("input", e => { if (e.target.name === "size") { clearTimeout(wait); wait = setTimeout(show, 500); } });
    choosing.addEventListener("submit", e => { e.preventDefault(); show(); });
  }
  const drop = document.querySelector(".drop");
  if (drop) {
    const file = document.getElementById("theirs"), over = on => e => { e.preventDefault(); drop.classList.toggle("over", on); };
    for (const kind of ["dragenter", "dragover"]) drop.addEventListener(kind, over(true));
    drop.addEventListener("dragleave", over(false));
    drop.addEventListener("drop", e => {
      over(false)(e);
      if (e.dataTransfer.files.length) { file.files = e.dataTransfer.files; drop.requestSubmit(); }
    });
  }
  document.addEventListener("click", e => { // a link to send on is copied
    const a = e.target.closest("a.send");
    if (!a || !navigator.clipboard) return;
    e.preventDefault();
    navigator.clipboard.writeText(a.href).then(() => { a.textContent = a.dataset.says; });
  });
  const copied = document.getElementById("copied");
  if (copied && navigator.clipboard) {
    for (const value of document.querySelectorAll("#colours code, #address code")) {
      const b = document.createElement("button");
      b.type = "button";
      b.className = "copy";
      b.textContent = copied.dataset.copy;
      b.setAttribute("aria-label", copied.dataset.copy + " " + value.textContent);
      b.addEventListener("click", () => navigator.clipboard.writeText(value.textContent).then(() => { copied.textContent = copied.dataset.says + ": " + value.textContent; }));
      value.after(" ", b);
    }
  }
})();
