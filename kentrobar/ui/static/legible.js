// Letters in drawings: what a small page shrinks below what can be read is drawn larger.
"use strict";

(() => {
  const LEAST_PX = 11;
  const drawings = "svg:has(text)";
  const small = matchMedia("(max-width: 820px)");

  function enlarge(drawing) {
    const matrix = drawing.getScreenCTM();
    if (!matrix) return;
    const scale = Math.sqrt(Math.abs(matrix.a * matrix.d - matrix.b * matrix.c));
    if (!scale) return;
    for (const text of drawing.querySelectorAll("text, tspan")) {
      text.style.fontSize = "";
      if (!small.matches) continue;
      const drawn = parseFloat(getComputedStyle(text).fontSize) * scale;
      if (drawn && drawn < LEAST_PX) text.style.fontSize = `${(LEAST_PX + 0.05) / scale}px`;
    }
  }

  const sizes = new ResizeObserver((entries) => entries.forEach((entry) => enlarge(entry.target)));
  function watch(root) {
    if (root.matches?.(drawings)) sizes.observe(root);
    root.querySelectorAll(drawings).forEach((drawing) => sizes.observe(drawing));
  }
  addEventListener("DOMContentLoaded", () => watch(document));
  document.addEventListener("htmx:load", (event) => watch(event.target));
})();
