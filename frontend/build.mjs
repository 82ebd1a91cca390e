// Builds evarlo/ui/static/ui from the packages: stylesheet, fonts, scripts, icons. `node build.mjs [folder]`.
import { execFileSync } from "node:child_process";
import { cpSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join, resolve } from "node:path";
import { fileURLToPath } from "node:url";

const here = dirname(fileURLToPath(import.meta.url));
const out = resolve(process.argv[2] ?? join(here, "../evarlo/ui/static/ui"));
const modules = join(here, "node_modules");
const ICONS = ["arrow-right", "download", "lock", "plus", "printer", "shuffle", "undo-2", "upload"];

for (const folder of ["fonts", "vendor"]) mkdirSync(join(out, folder), { recursive: true });
cpSync(join(modules, "htmx.org/dist/htmx.min.js"), join(out, "vendor/htmx.min.js"));
cpSync(join(modules, "@alpinejs/csp/dist/cdn.min.js"), join(out, "vendor/alpine-csp.min.js"));
cpSync(join(modules, "idb/build/index.js"), join(out, "vendor/idb.js"));
for (const set of ["latin", "latin-ext"]) {
  cpSync(
    join(modules, `@fontsource-variable/archivo/files/archivo-${set}-standard-normal.woff2`),
    join(out, `fonts/archivo-${set}.woff2`),
  );
}

const symbols = ICONS.map((name) => {
  const svg = readFileSync(join(modules, `lucide-static/icons/${name}.svg`), "utf8");
  const inner = svg
    .slice(svg.indexOf(">", svg.indexOf("<svg")) + 1, svg.lastIndexOf("</svg>"))
    .replace(/\s+/g, " ")
    .trim();
  return `<symbol id="${name}" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="2" stroke-linecap="square">${inner}</symbol>`;
});
writeFileSync(join(out, "icons.svg"), `<svg xmlns="http://www.w3.org/2000/svg">${symbols.join("")}</svg>\n`);

execFileSync(join(modules, ".bin/tailwindcss"), ["-i", join(here, "evarlo.css"), "-o", join(out, "evarlo.css"), "--minify"], {
  stdio: "inherit",
});
