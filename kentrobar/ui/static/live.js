// Figures of connected instruments: taken into boxes by button or key, where the server says they may be.
"use strict";

(() => {
  const inText = (element) => element.closest?.("input:not([type=checkbox]):not([type=radio]), textarea, select");

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.repeat || inText(event.target)) return;
    if (document.querySelector("dialog[open]")) return;
    const button = document.querySelector(`.live [data-key="${CSS.escape(event.key)}"]`);
    if (button) {
      event.preventDefault();
      button.click();
    }
  });

  document.addEventListener("figure-taken", (event) => {
    const { into, text, adds, with: instrument } = event.detail;
    // A box of its own, or the next empty one of several.
    const several = [...document.querySelectorAll(`[data-takes="${CSS.escape(into)}"]`)];
    const area = document.getElementById(into) ?? several.find((one) => !one.value.trim());
    if (!area) {
      if (several.length) refuse("All of them are weighed: empty a box to weigh one again.");
      return;
    }
    refuse("");
    area.value = adds && area.value.trim() ? `${area.value.trim()} ${text}` : text;
    const chosen = document.getElementById("m-instrument");
    if (chosen && [...chosen.options].some((option) => option.value === instrument)) chosen.value = instrument;
    area.dispatchEvent(new Event("input", { bubbles: true }));
  });

  function refuse(why) {
    const said = document.getElementById("live-refused");
    if (!said) return;
    said.textContent = why;
    said.hidden = !why;
  }
  document.addEventListener("figure-refused", (event) => refuse(event.detail.why));
})();
