// What is made around the kit: photographs, the brand sheet, the board.
document.addEventListener("alpine:init", () => {
  const Alpine = window.Alpine;

  // Photographs with the mark on them. A form's change is seen at once; files are
  // sent one after the other; the mark can be dragged to where it shall stand.
  Alpine.data("photos", () => ({
    plain: false,
    says: "",
    timer: 0,
    init() {
      const root = this.$root;
      root.addEventListener("dragover", (e) => { if (e.dataTransfer.types.includes("Files")) e.preventDefault(); });
      root.addEventListener("drop", (e) => {
        if (!e.dataTransfer.files.length || !this.$refs.take) return;
        e.preventDefault();
        this.all([...e.dataTransfer.files]);
      });
    },
    chosen(e) { this.all([...e.target.files]); },
    send(e) {
      const files = [...this.$refs.take.querySelector("input[type=file]").files];
      if (!files.length) return;
      e.preventDefault();
      this.all(files);
    },
    async all(files) {
      const wrong = [];
      for (const [i, f] of files.entries()) {
        this.says = `${i + 1} of ${files.length}: ${f.name} is sent`;
        const body = new FormData();
        body.append("photo", f, f.name);
        try {
          const answer = await fetch(this.$root.dataset.send, { method: "POST", body, headers: { Accept: "application/json" } });
          if (!answer.ok) wrong.push((await answer.json()).error);
        } catch (_) {
          wrong.push(f.name + " was not sent: the connection broke off.");
        }
      }
      this.says = wrong.join(" ");
      const form = this.$refs.form; // what stands in it stays
      const query = form ? "?" + new URLSearchParams(new FormData(form)) : "";
      if (wrong.length < files.length) location.href = this.$root.dataset.send + query;
    },
    later() {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.again(), 120);
    },
    pick(e) {
      e.preventDefault();
      this.$refs.at.value = e.currentTarget.value;
      this.again();
    },
    async again() {
      const query = new URLSearchParams(new FormData(this.$refs.form)).toString();
      this.asked = query;
      const text = await (await fetch("?" + query)).text();
      if (this.asked !== query) return; // something newer was asked for
      const page = new DOMParser().parseFromString(text, "text/html");
      this.$exchange(page, ["#tried"]);
      this.strip(page);
    },
    // The small ones stay where they are and show something else: one that is
    // about to be clicked must not change places with its like.
    strip(page) {
      const [was, is] = [document, page].map((d) => [...d.querySelectorAll("#strip li")]);
      if (was.length !== is.length) return this.$exchange(page, ["#strip"]);
      was.forEach((li, i) => {
        li.className = is[i].className;
        const look = li.querySelector("button[name=n]");
        if (look && li.matches(".here")) look.setAttribute("aria-current", "true");
        else look?.removeAttribute("aria-current");
        const [shown, next] = [li, is[i]].map((x) => x.querySelector("img"));
        if (shown && next) shown.src = next.getAttribute("src");
        else if (next) li.replaceWith(document.importNode(is[i], true));
      });
    },
    drag(e) {
      const img = this.$refs.large;
      if (e.button || !img) return;
      e.preventDefault();
      const form = this.$refs.form, photo = e.currentTarget;
      const move = (m) => {
        const r = img.getBoundingClientRect();
        const part = (v) => Math.round(Math.min(1, Math.max(0, v)) * 1000) / 1000;
        form.elements.x.value = part((m.clientX - r.left) / r.width);
        form.elements.y.value = part((m.clientY - r.top) / r.height);
        form.querySelector("[name=place][value=free]").checked = true;
        this.later();
      };
      photo.setPointerCapture(e.pointerId);
      move(e);
      photo.addEventListener("pointermove", move);
      photo.addEventListener("pointerup", () => photo.removeEventListener("pointermove", move), { once: true });
    },
  }));

  // The brand sheet as the form makes it; blocks are moved on the page itself.
  Alpine.data("sheet", () => ({
    plain: false,
    timer: 0,
    init() {
      this.$root.addEventListener("click", (e) => {
        const a = e.target.closest("#pages a[href^='?']");
        if (!a || e.ctrlKey || e.metaKey || e.shiftKey) return;
        e.preventDefault();
        this.show(a.getAttribute("href"), a.getAttribute("aria-label"));
      });
    },
    later() {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.again(), 300);
    },
    again() {
      clearTimeout(this.timer);
      this.show("?" + new URLSearchParams(new FormData(this.$refs.form)));
    },
    async show(to, pressed) {
      this.asked = to;
      const answer = await fetch(to);
      if (this.asked !== to) return;
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      // The old pages stay until the new ones are there.
      await Promise.all([...page.querySelectorAll("#pages img")].map((img) => {
        const ready = new Image();
        ready.src = img.getAttribute("src");
        return ready.decode().catch(() => {});
      }));
      if (this.asked !== to) return;
      this.$refs.form.elements.blocks.value = page.querySelector("[name=blocks]").value;
      this.$exchange(page, ["#pages", "#gets"], pressed && `[aria-label="${pressed}"]`);
      history.replaceState(null, "", to);
    },
  }));

  // A finish is seen as it is put together.
  Alpine.data("finishing", () => ({
    plain: false,
    timer: 0,
    later() {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.again(), 200);
    },
    async again() {
      const to = "?" + new URLSearchParams(new FormData(this.$refs.form));
      this.asked = to;
      const answer = await fetch(to);
      if (this.asked !== to) return;
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      await Promise.all([...page.querySelectorAll("#outcome img")].map((img) => {
        const ready = new Image();
        ready.src = img.getAttribute("src");
        return ready.decode().catch(() => {});
      }));
      if (this.asked === to) this.$exchange(page, ["#outcome"]);
    },
  }));
});
