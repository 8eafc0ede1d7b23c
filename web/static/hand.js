// Handing a kit over: the page is shown as the choices make it.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("hand", () => ({
    copied: "Copy",
    can: !!navigator.clipboard,
    timer: 0,
    copy() {
      navigator.clipboard.writeText(this.$refs.link.value).then(() => { this.copied = "Copied"; });
    },
    later() {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.show(), 300);
    },
    show() {
      const form = new FormData(this.$refs.form), q = new URLSearchParams();
      q.set("lang", form.get("language"));
      q.set("greeting", form.get("greeting"));
      for (const name of ["use", "type"]) for (const v of form.getAll(name)) q.append(name, v);
      const to = this.$refs.seen.dataset.from + "?" + q;
      this.$refs.seen.src = to;
      this.$refs.large.href = to;
    },
  }));
});
