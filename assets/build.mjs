// Copies what the application ships from its packages, licences beside it, and compiles Bootstrap.
import { execFileSync } from "node:child_process";
import { cpSync, mkdirSync, writeFileSync } from "node:fs";
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
cpSync(from("htmx.org/dist/htmx.min.js"), `${out}/htmx.min.js`);
cpSync(from("htmx.org/LICENSE"), `${out}/htmx.LICENSE`);
const font = "@fontsource/barlow-semi-condensed";
// Without the hints for screens of large dots, a third of each. fontTools comes with the product.
for (const weight of [400, 500, 600])
  execFileSync("../.venv/bin/pyftsubset", [
    from(`${font}/files/barlow-semi-condensed-latin-${weight}-normal.woff2`),
    "--unicodes=*", "--no-hinting", "--layout-features=*", "--flavor=woff2",
    `--output-file=${out}/fonts/barlow-semi-condensed-${weight}.woff2`,
  ]);
cpSync(from(`${font}/LICENSE`), `${out}/fonts/LICENSE`);
// Only tests use it.
const tests = "../tests/browser/vendor";
cpSync(from("axe-core/axe.min.js"), `${tests}/axe.min.js`);
cpSync(from("axe-core/LICENSE"), `${tests}/axe.LICENSE`);
