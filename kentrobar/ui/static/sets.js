// The Set page: a band drawn over the dots writes into its box of the settings, and rows say at once
// what they would take.
(() => {
  const WAIT_MS = 120;

  const widths = (root) => root.querySelectorAll?.(".set-band").forEach((band) => {
    band.style.setProperty("--band", `${band.dataset.width}%`);
  });
  addEventListener("DOMContentLoaded", () => widths(document));
  document.addEventListener("htmx:load", ({ target }) => widths(target));

  const boxOf = (band) => document.getElementById(band.dataset.box);
  const written = (band) => Number(band.value).toString();

  let waits = 0;
  document.addEventListener("input", ({ target }) => {
    if (!target.matches(".set-band")) return;
    target.classList.add("is-held");
    boxOf(target).value = written(target);
    clearTimeout(waits);
    waits = setTimeout(() => {
      const form = document.getElementById("ask");
      htmx.ajax("POST", form.dataset.reach, { source: form, swap: "none" });
    }, WAIT_MS);
  });
  document.addEventListener("change", (event) => {
    if (!event.target.matches(".set-band")) return;
    clearTimeout(waits);
    event.stopPropagation();
    const box = boxOf(event.target);
    box.value = written(event.target);
    box.form.elements.target.value = "least-mass";
    box.dispatchEvent(new Event("change", { bubbles: true }));
  });

  // What was folded open stays so when the page answers.
  let open = [];
  document.addEventListener("htmx:beforeSwap", () => {
    open = [...document.querySelectorAll("details[data-stays-open][open]")].map((one) => one.id);
  });
  // Before anybody else hears of it: a box in what is folded cannot be written in again.
  document.addEventListener("htmx:afterSwap", () => {
    open.forEach((id) => document.getElementById(id)?.setAttribute("open", ""));
  }, true);
})();
