// Behaviour of the pages, one small component for each. Every page works
// without it; it only makes things quicker.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  // Keys that work on every page of a mark, and on the desk.
  Alpine.data("keys", () => ({
    init() {
      const here = document.querySelector(".thread .here");
      if (here) here.closest(".thread").scrollLeft = here.offsetLeft - 20; // on a narrow screen
      if (document.body.dataset.keys) return; // the docket may be made anew
      document.body.dataset.keys = "on";
      document.addEventListener("keydown", (e) => this.press(e));
      // A change says which state of the mark it was made upon, so that one
      // sees what others decided meanwhile.
      document.addEventListener("formdata", (e) => {
        const docket = document.querySelector("[data-seen]");
        if (docket) e.formData.set("seen", docket.dataset.seen);
      });
    },
    press(e) {
      const t = e.target;
      if (e.ctrlKey || e.metaKey || e.altKey || t.closest("input, textarea, select, dialog[open]")) return;
      const base = this.$root.dataset.base;
      const find = document.getElementById("find");
      if (e.key === "/") {
        e.preventDefault();
        if (find) find.focus();
        else location.href = "/#find";
        return;
      }
      if (!base) return;
      const stations = ["master", "inks", "versions", "files", "proof", "kit"];
      const n = Number(e.key);
      if (n >= 1 && n <= stations.length) location.href = base + stations[n - 1];
      else if (e.key === "z") document.getElementById("undo").requestSubmit();
      else if (e.key === "y") document.getElementById("redo").requestSubmit();
      else if (e.key === "?") document.getElementById("shortcuts").showModal();
      else if (e.key === "g") window.dispatchEvent(new CustomEvent("ground"));
      else if (e.key === "b") {
        const form = document.getElementById("build");
        if (form && !form.querySelector("button").disabled) form.submit();
      }
    },
  }));

  // A file that is dropped anywhere is taken in: by the form that takes masters,
  // or, on a mark's page, as its new master once that was said to be right. The
  // browser never opens it in the place of the page.
  const files = (e) => e.dataTransfer && [...e.dataTransfer.types].includes("Files");
  document.addEventListener("dragover", (e) => { if (files(e)) e.preventDefault(); });
  document.addEventListener("drop", (e) => {
    if (e.defaultPrevented || !files(e)) return;
    e.preventDefault();
    const take = document.querySelector("form.take");
    const dialog = document.getElementById("dropped");
    if (take) {
      take.scrollIntoView({ block: "center" });
      take.dispatchEvent(new CustomEvent("taken", { detail: e.dataTransfer.files }));
    } else if (dialog) {
      dialog.querySelector("input").files = e.dataTransfer.files;
      dialog.querySelector(".name").textContent = e.dataTransfer.files[0].name;
      dialog.showModal();
    } else {
      location.href = "/new";
    }
  });

  // What the files weigh is found while one looks on.
  Alpine.data("weight", () => ({
    init() {
      setTimeout(async () => { // pictures come first
        const answer = await fetch(this.$root.dataset.from);
        if (answer.ok) this.$root.textContent = await answer.text();
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
      const img = document.getElementById("true");
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
        this.text = j.done + " of " + j.total + " files" + (j.left ? " · about " + j.left + " s left" : "") + (j.what ? " · " + j.what : "");
        if (j.state !== "waiting" && j.state !== "running") {
          source.close();
          location.reload();
        }
      };
    },
  }));
});
