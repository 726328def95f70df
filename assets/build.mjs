// Copies what the application ships from its packages, licences beside it, and compiles Bootstrap.
import { cpSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { compile } from "sass";

const out = "../kentrobar/ui/static/vendor";
const from = (path) => `node_modules/${path}`;

mkdirSync(`${out}/fonts`, { recursive: true });
const { css } = compile("bootstrap.scss", {
  style: "compressed", loadPaths: ["node_modules"], quietDeps: true,
  silenceDeprecations: ["import", "global-builtin", "color-functions", "if-function"],
});
writeFileSync(`${out}/bootstrap.css`, css);
cpSync(from("bootstrap/LICENSE"), `${out}/bootstrap.LICENSE`);
// Without the pointer to a source map that is not shipped.
const bundle = readFileSync(from("bootstrap/dist/js/bootstrap.bundle.min.js"), "utf8");
writeFileSync(`${out}/bootstrap.bundle.min.js`, bundle.replace(/\n\/\/# sourceMappingURL.*\s*$/, "\n"));
cpSync(from("htmx.org/dist/htmx.min.js"), `${out}/htmx.min.js`);
cpSync(from("htmx.org/LICENSE"), `${out}/htmx.LICENSE`);
const font = "@fontsource/barlow-semi-condensed";
for (const weight of [400, 500, 600])
  cpSync(from(`${font}/files/barlow-semi-condensed-latin-${weight}-normal.woff2`),
         `${out}/fonts/barlow-semi-condensed-${weight}.woff2`);
cpSync(from(`${font}/LICENSE`), `${out}/fonts/LICENSE`);
// Only tests use it.
const tests = "../tests/browser/vendor";
cpSync(from("axe-core/axe.min.js"), `${tests}/axe.min.js`);
cpSync(from("axe-core/LICENSE"), `${tests}/axe.LICENSE`);
