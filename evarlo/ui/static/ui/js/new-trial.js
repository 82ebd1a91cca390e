// The planning bench: what was typed stays, everything else is proposed by the server and filled in where it stands.

const read = (id) => JSON.parse(document.getElementById(id)?.textContent || "{}");
const same = (a, b) => a.trim().toLowerCase() === b.trim().toLowerCase();
const named = (text) =>
  text
    .split(/[\n\t;,]/)
    .map((name) => name.trim().replace(/\s+/g, " "))
    .filter(Boolean);

document.addEventListener("alpine:init", () => {
  Alpine.data("newTrial", () => ({
    typed: "",
    check: "",
    site: "",
    design: "",
    count: 0,
    touched: [],
    chosen: false,
    twins: [],
    apartPairs: [],
    goingOn: [],
    listed: [],
    shown: {},
    bedList: [],
    traits: {},
    designs: {},

    init() {
      this.typed = this.$root.dataset.typed;
      this.check = this.$root.dataset.check;
      this.bedList = read("beds-data");
      this.traits = read("traits-data");
      this.designs = read("designs-data");
      this.touched = this.value("touched").split(",").filter(Boolean);
      this.count = Number(this.value("count")) || 0;
      this.look();
      this.$root.addEventListener("input", (event) => this.typedInto(event.target));
      this.$root.addEventListener("change", (event) => this.typedInto(event.target));
      // What is typed takes the place of what was proposed.
      this.$root.addEventListener("focusin", ({ target }) => target.matches(".sentence input") && target.select());
      document.body.addEventListener("htmx:load", () => this.takeProposals());
      document.addEventListener("click", (event) => {
        const offer = event.target.closest("[data-offer]");
        if (offer) this.takeOffer(JSON.parse(offer.dataset.offer));
      });
      if (!this.value("crop") && document.activeElement === document.body) this.field("count").focus();
    },
    field(name) {
      return this.$root.elements[name];
    },
    value(name) {
      return this.field(name)?.value ?? "";
    },
    is(design) {
      return this.design === design;
    },
    look() {
      this.site = this.value("site");
      this.design = this.value("design");
      this.shown = Object.fromEntries([...this.$root.elements].map((e) => [e.name, e.type === "checkbox" ? e.checked : e.value]));
    },
    get two() {
      return this.designs[this.design]?.two ?? false;
    },
    get said() {
      return this.designs[this.design]?.said ?? "";
    },
    get names() {
      return named(this.typed);
    },
    get offered() {
      return this.listed.filter((name) => !this.has(name));
    },
    get missing() {
      const more = this.count - this.names.length;
      if (more <= 0) return "";
      return more === 1 ? "1 more entry is not named yet" : `${more} more entries are not named yet`;
    },
    get alike() {
      return this.twins.filter((pair) => !this.apartPairs.includes(pair.key) && (this.has(pair.a) || this.has(pair.b)));
    },
    get lastYear() {
      return this.goingOn.join(", ");
    },
    get sites() {
      return [...new Set(this.bedList.map((bed) => bed.site))];
    },
    get bedsHere() {
      return this.bedList.filter((bed) => same(bed.site, this.site));
    },
    get lies() {
      const border = this.shown.border ? `border ${this.shown.border}, ` : "no border, ";
      return `${border}paths ${this.shown.path_m}, bed ${this.shown.bed_length_m} × ${this.shown.bed_width_m}, CV ${this.shown.cv_percent} %`;
    },
    get criteriaSaid() {
      const more = [2, 3, 4].filter((row) => this.shown[`trait_${row}`]).map((row) => this.label(`trait_${row}`));
      return more.length ? more.join(", ") : "nothing yet";
    },
    get namesSaid() {
      return this.shown.blind ? "evaluators and helpers see codes" : "everybody sees names";
    },
    label(name) {
      const field = this.field(name);
      return field?.selectedOptions?.[0]?.textContent.split(",")[0].toLowerCase() ?? "";
    },
    unit(row) {
      return this.traits[this.shown[`trait_${row}`]]?.unit ?? "";
    },
    has(name) {
      return this.names.some((other) => same(other, name));
    },
    checks(name) {
      return same(name, this.check);
    },
    asCheck(name) {
      return `${name} is the check`;
    },
    without(name) {
      return `Take out ${name}`;
    },
    keep(names) {
      this.typed = names.join("\n");
      this.touch("entries");
      if (!this.touched.includes("count") || names.length > this.count) this.set("count", String(names.length));
      this.$nextTick(() => this.ask());
    },
    add() {
      const some = named(this.$refs.add.value);
      this.$refs.add.value = "";
      if (some.length) this.keep([...this.names, ...some.filter((name) => !this.names.includes(name))]);
    },
    pasted() {
      setTimeout(() => this.add(), 0);
    },
    drop(name) {
      this.keep(this.names.filter((other) => other !== name));
    },
    mark(name) {
      this.check = name;
      this.set("check", name);
      this.touch("check");
      this.ask();
    },
    one(pair) {
      const kept = this.listed.some((name) => name === pair.b) || this.names.indexOf(pair.b) < 0 ? pair.b : pair.a;
      const gone = kept === pair.a ? pair.b : pair.a;
      const names = this.names.map((name) => (name === gone ? kept : name));
      if (this.checks(gone)) this.mark(kept);
      this.keep([...new Set(names)]);
    },
    apart(pair) {
      this.apartPairs.push(pair.key);
    },
    takeThem() {
      this.keep([...new Set([...this.goingOn, ...this.names])]);
    },
    touch(...names) {
      for (const name of names) if (!this.touched.includes(name)) this.touched.push(name);
      this.field("touched").value = this.touched.join(",");
    },
    set(name, value) {
      const field = this.field(name);
      if (!field) return;
      if (field.type === "checkbox") field.checked = Boolean(value);
      else field.value = value;
      if (name === "entries") this.typed = value;
      if (name === "check") this.check = value;
      if (name === "count") this.count = Number(value) || 0;
    },
    ask() {
      this.look();
      this.$root.dispatchEvent(new Event("change"));
    },
    typedInto(target) {
      const name = target.getAttribute?.("name") || "";
      if (!name || name === "check-mark" || name === "touched") return;
      const field = target.type === "checkbox" ? target.checked : target.value;
      this.touch(name);
      if (name === "design") this.chosen = true;
      if (name === "entries") this.typed = field;
      if (name === "check") this.check = field;
      if (name === "count") this.count = Number(field) || 0;
      if (name === "bed" || name === "site") this.fillBed();
      if (name.startsWith("trait_") && this.traits[field]) {
        const row = name.slice("trait_".length);
        const { direction, matters } = this.traits[field];
        this.set(`direction_${row}`, direction);
        this.set(`matters_${row}`, matters ?? "");
        this.touch(`direction_${row}`, `matters_${row}`);
      }
      this.look();
    },
    fillBed() {
      const known = this.bedList.find((bed) => same(bed.site, this.value("site")) && same(bed.name, this.value("bed")));
      if (!known) return;
      for (const [name, value] of [
        ["bed_length_m", known.length],
        ["bed_width_m", known.width],
        ["bearing", known.bearing],
      ])
        this.set(name, value);
    },
    takeProposals() {
      const found = JSON.parse(document.getElementById("proposed")?.dataset.proposed || "{}");
      if (!found.values) return;
      for (const [name, value] of Object.entries(found.values)) {
        const field = this.field(name);
        if (field && field !== document.activeElement && !this.touched.includes(name)) this.set(name, value);
      }
      this.twins = found.alike;
      this.listed = found.listed;
      this.goingOn = (found.going_on || []).filter((name) => !this.has(name));
      if (this.value("crop").trim()) this.$root.querySelector("[data-planned]").hidden = false;
      this.look();
    },
    takeOffer(values) {
      for (const [name, value] of Object.entries(values)) {
        this.set(name, value);
        this.touch(name);
      }
      this.ask();
    },
  }));
});
