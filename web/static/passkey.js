// Passkeys: making one, and signing in by one. What the browser does not know is
// not offered.
document.addEventListener("alpine:init", () => {
  const able = !!(window.PublicKeyCredential && PublicKeyCredential.parseCreationOptionsFromJSON);
  const post = (url, body) => fetch(url, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) });
  const run = async (to, ask) => {
    const res = await post(ask.begin, {});
    if (res.status === 403) return location.assign((await res.json()).to);
    if (!res.ok) throw new Error("The server does not take passkeys here.");
    const key = await ask.use((await res.json()).publicKey);
    const done = await post(to, key.toJSON());
    const says = await done.json();
    if (!done.ok) throw new Error(says.error);
    location.assign(says.to);
  };
  window.Alpine.data("passkey", () => ({
    able,
    wrong: "",
    async make() {
      this.wrong = "";
      const name = this.$refs.name.value;
      try {
        await run("/passkeys?name=" + encodeURIComponent(name), {
          begin: "/passkeys/ask",
          use: (o) => navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(o) }),
        });
      } catch (e) {
        this.wrong = e.name === "NotAllowedError" ? "It was cancelled." : e.message;
      }
    },
    async prove(event) {
      this.wrong = "";
      try {
        await run("/prove/passkey?to=" + encodeURIComponent(event.target.dataset.to), {
          begin: "/signin/passkey/ask",
          use: (o) => navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(o) }),
        });
      } catch (e) {
        this.wrong = e.name === "NotAllowedError" ? "It was cancelled." : e.message;
      }
    },
    async enter() {
      this.wrong = "";
      try {
        await run("/signin/passkey?to=" + encodeURIComponent(this.$refs.to.value), {
          begin: "/signin/passkey/ask",
          use: (o) => navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(o) }),
        });
      } catch (e) {
        this.wrong = e.name === "NotAllowedError" ? "It was cancelled." : e.message;
      }
    },
  }));
});
