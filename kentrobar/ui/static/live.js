// Figures of connected instruments: taken into boxes by button or key, where the server says they may be.
"use strict";

(() => {
  const inText = (element) => element.closest?.("input:not([type=checkbox]):not([type=radio]), textarea, select");

  // Told by one stream; where there is none (too many, or a proxy keeps it back), asked now and then.
  const ASK_EVERY_MS = 1000;
  let source = null;
  let followed = "";
  let heardAt = 0;

  // The lines of the page change with the method that is measured by.
  function follow() {
    const told = document.getElementById("live-stream");
    const wanted = told && !document.hidden ? `${told.dataset.at}?of=${told.dataset.of}` : "";
    if (wanted === followed) return;
    followed = wanted;
    source?.close();
    heardAt = 0;
    if (wanted) listen(wanted);
  }

  function listen(at) {
    source = new EventSource(at);
    source.addEventListener("line", (event) => {
      const { line, html } = JSON.parse(event.data);
      heardAt = Date.now();
      const place = document.getElementById(`live-${line}`);
      if (place) place.innerHTML = html;
    });
  }

  function ask() {
    if (document.hidden || (source?.readyState === EventSource.OPEN && heardAt)) return;
    document.querySelectorAll(".live-say").forEach((place) => htmx.trigger(place, "ask"));
  }

  follow();
  setInterval(ask, ASK_EVERY_MS);
  document.addEventListener("visibilitychange", follow);
  document.addEventListener("htmx:load", follow);
  addEventListener("pagehide", () => source?.close());

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
