// Behaviour of the pages, one small component for each. Every page works
// without it; it only makes things quicker.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  // What several components need: parts of the page change places with those of
  // the same page made anew. What is marked to be kept keeps its words, and the
  // control that was pressed has the focus again.
  Alpine.magic("exchange", () => (page, parts, pressed) => {
    for (const part of parts) {
      const [was, is] = [document.querySelector(part), page.querySelector(part)];
      if (!was || !is || was.outerHTML === is.outerHTML) continue;
      is.querySelectorAll("[data-keep]").forEach((to) => {
        const from = was.querySelector(`[data-keep=${to.dataset.keep}]`);
        if (from) to.textContent = from.textContent;
      });
      was.replaceWith(document.importNode(is, true));
    }
    const again = pressed && document.querySelector(pressed);
    if (again) again.focus();
  });

  // Keys that work on every page of a mark, and on the desk.
  Alpine.data("keys", () => ({
    // A change says which state of the mark it was made upon, so that one sees
    // what others decided meanwhile.
    stamp(e) {
      if (this.$root.dataset.seen) e.formData.set("seen", this.$root.dataset.seen);
    },
    press(e) {
      const t = e.target;
      if (e.ctrlKey || e.metaKey || e.altKey || t.closest("input, textarea, select, dialog[open]")) return;
      const base = this.$root.dataset.base;
      if (e.key === "/") {
        e.preventDefault();
        if (this.$refs.find) this.$refs.find.focus();
        else location.href = "/#find";
        return;
      }
      if (!base) return;
      const stations = ["master", "inks", "versions", "files", "proof", "kit"];
      const n = Number(e.key);
      if (n >= 1 && n <= stations.length) location.href = base + stations[n - 1];
      else if (e.key === "z") this.$refs.undo.requestSubmit();
      else if (e.key === "y") this.$refs.redo.requestSubmit();
      else if (e.key === "?") this.$refs.shortcuts.showModal();
      else if (e.key === "g") window.dispatchEvent(new CustomEvent("ground"));
      else if (e.key === "b") {
        const form = this.$refs.build;
        if (form && !form.querySelector("button").disabled) form.submit();
      }
    },
    // offer asks whether a file that was dropped on a mark's page is its new
    // master.
    offer(e) {
      const dialog = this.$refs.dropped;
      if (e.defaultPrevented || !dialog) return;
      e.preventDefault();
      dialog.querySelector("input").files = e.detail;
      dialog.querySelector(".name").textContent = e.detail[0].name;
      dialog.showModal();
    },
  }));

  // The thread of stations: on a narrow screen the present one is in view.
  Alpine.data("thread", () => ({
    init() {
      const here = this.$root.querySelector(".here");
      if (here) this.$root.scrollLeft = here.offsetLeft - 20;
    },
  }));

  // What was just kept, for those who do not see it.
  Alpine.data("saved", () => ({
    text: "",
    say(e) { this.text = e.detail; },
  }));

  // A file that is dropped anywhere is offered to whoever takes files on this page;
  // where nobody does, on the page that takes masters. The browser never opens it
  // in the place of the page.
  const files = (e) => e.dataTransfer && [...e.dataTransfer.types].includes("Files");
  document.addEventListener("dragover", (e) => { if (files(e)) e.preventDefault(); });
  document.addEventListener("drop", (e) => {
    if (e.defaultPrevented || !files(e)) return;
    e.preventDefault();
    const nobody = window.dispatchEvent(new CustomEvent("files", { detail: e.dataTransfer.files, cancelable: true }));
    if (nobody) location.href = "/new";
  });

  // What the files weigh is found while one looks on.
  Alpine.data("weight", () => ({
    init() {
      setTimeout(async () => { // pictures come first
        const answer = await fetch(this.$root.dataset.from);
        if (!answer.ok) return;
        this.$root.textContent = await answer.text();
        if (!document.querySelector("#list .weighing")) return;
        const now = await fetch(location.href); // what each file weighs is known by now, too
        if (now.ok) this.$exchange(new DOMParser().parseFromString(await now.text(), "text/html"), ["#list"]);
      }, 400);
    },
  }));

  // Two pictures over each other with a border that slides.
  Alpine.data("slide", () => ({
    init() { this.move(); },
    move() {
      const at = this.$root.querySelector(".slider").value;
      this.$root.querySelector(".over").style.clipPath = `inset(0 ${100 - at}% 0 0)`;
      this.$root.querySelector(".edge").style.left = at + "%";
    },
  }));

  // A file at true pixels, whatever the screen's density.
  Alpine.data("proof", () => ({
    init() {
      const img = this.$refs.pixels;
      if (!img) return;
      const fit = () => {
        img.style.width = Number(img.dataset.w) / window.devicePixelRatio + "px";
        img.style.height = "auto";
      };
      fit();
      window.addEventListener("resize", fit);
    },
  }));

  // A build: its progress comes as events; at the end the page shows the kit.
  Alpine.data("job", () => ({
    text: "",
    init() {
      this.text = this.$root.querySelector("[x-text]").textContent;
      const source = new EventSource(this.$root.dataset.events);
      source.onmessage = (e) => {
        const j = JSON.parse(e.data);
        this.$refs.bar.max = j.total || 1;
        this.$refs.bar.value = j.done;
        this.text = j.done + " of " + j.total + " " + (this.$root.dataset.what || "files") + (j.left ? " · about " + j.left + " s left" : "") + (j.what ? " · " + j.what : "");
        if (j.state !== "waiting" && j.state !== "running") {
          source.close();
          location.reload();
        }
      };
    },
  }));
});
