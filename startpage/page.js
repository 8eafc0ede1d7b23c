"use strict";
// The page works without this: it copies values.
(() => {
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
