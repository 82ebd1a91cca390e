// The new-trial form: names are picked from the list or typed, and what is on record fills in the rest.

const read = (id) => JSON.parse(document.getElementById(id).textContent);
const same = (a, b) => a.trim().toLowerCase() === b.trim().toLowerCase();

document.addEventListener("alpine:init", () => {
  Alpine.data("newTrial", () => ({
    typed: "",
    crop: "",
    site: "",
    design: "",
    cultivars: [],
    crops: [],
    bedList: [],
    traits: {},
    designs: {},

    init() {
      this.typed = this.$root.dataset.typed;
      this.cultivars = read("cultivars-data");
      this.crops = read("crops-data");
      this.bedList = read("beds-data");
      this.traits = read("traits-data");
      this.designs = read("designs-data");
      this.crop = this.value("crop");
      this.site = this.value("site");
      this.design = this.value("design");
      this.$root.addEventListener("change", (event) => this.changed(event.target));
      this.$root.addEventListener("input", (event) => {
        if (event.target.name === "crop") this.crop = event.target.value;
        if (event.target.name === "site") this.site = event.target.value;
      });
    },
    field(name) {
      return this.$root.elements[name];
    },
    value(name) {
      return this.field(name).value;
    },
    is(design) {
      return this.design === design;
    },
    get two() {
      return this.designs[this.design]?.two ?? false;
    },
    get said() {
      return this.designs[this.design]?.said ?? "";
    },
    get names() {
      return this.typed
        .split("\n")
        .map((line) => line.trim())
        .filter(Boolean);
    },
    get offered() {
      return this.cultivars.filter((c) => same(c.crop, this.crop)).map((c) => c.name);
    },
    get sites() {
      return [...new Set(this.bedList.map((bed) => bed.site))];
    },
    get bedsHere() {
      return this.bedList.filter((bed) => same(bed.site, this.site));
    },
    has(name) {
      return this.names.some((other) => same(other, name));
    },
    toggle(name) {
      const kept = this.names.filter((other) => !same(other, name));
      this.typed = (this.has(name) ? kept : [...this.names, name]).join("\n");
      this.$nextTick(() => this.$root.dispatchEvent(new Event("change")));
    },
    fill(figures) {
      for (const [name, figure] of Object.entries(figures)) if (figure !== null) this.field(name).value = figure;
    },
    changed(target) {
      const name = target.getAttribute("name") || "";
      if (name === "design") this.design = target.value;
      if (name === "crop") {
        const known = this.crops.find((crop) => same(crop.name, target.value));
        if (known) this.fill({ between_rows_cm: known.rows, in_row_cm: known.row, cv_percent: known.cv });
      } else if (name === "bed" || name === "site") {
        const known = this.bedsHere.find((bed) => same(bed.name, this.value("bed")));
        if (known) this.fill({ bed_length_m: known.length, bed_width_m: known.width, bearing: known.bearing });
      } else if (name.startsWith("trait_") && this.traits[target.value]) {
        const row = name.slice("trait_".length);
        const trait = this.traits[target.value];
        this.fill({ [`direction_${row}`]: trait.direction, [`matters_${row}`]: trait.matters });
      }
    },
  }));
});
