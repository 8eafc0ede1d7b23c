"use strict";
// Behind a link: what is chosen is shown at once, a file is dropped, a link to send on is copied.
(() => {
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
})();
