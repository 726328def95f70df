// Gestures of measuring: taps timed on this device, keys, and boxes filled with what the server says.
// What taps and figures come to is worked out by the server.
"use strict";

(() => {
  const box = (name) => document.getElementById(`m-${name}`);
  const changed = (element) => element.dispatchEvent(new Event("input", { bubbles: true }));
  const inText = (element) => element.closest?.("input:not([type=checkbox]):not([type=radio]), textarea, select");

  // --- the tap timer ---

  let taps = [];
  let isStopped = false;

  function showTaps() {
    const count = document.getElementById("tap-count");
    if (!count) return;
    count.textContent = taps.length;
    document.getElementById("tap").classList.toggle("is-stopped", isStopped);
    const times = box("tap_times");
    times.value = taps.map((t) => ((t - taps[0]) / 1000).toFixed(4)).join(" ");
    changed(times);
  }

  function tap(event) {
    if (isStopped) return;
    // The moment of the event itself, not of the moment we come to handle it.
    taps.push(event.timeStamp);
    showTaps();
  }

  function again() {
    taps = [];
    isStopped = false;
    const aside = box("set_aside");
    if (aside) aside.value = "";
    showTaps();
  }

  document.addEventListener("pointerdown", (event) => {
    if (!event.target.closest?.("#tap") || event.button) return;
    event.preventDefault();
    tap(event);
  });

  document.addEventListener("click", (event) => {
    const target = event.target;
    if (target.closest?.("#tap-again")) again();
    if (target.closest?.("#tap-back")) {
      taps.pop();
      isStopped = false;
      showTaps();
    }
    const aside = target.closest?.("[data-aside]");
    if (aside) setAside(aside.dataset.aside);
    if (target.closest?.("[data-drop-recording]")) {
      box("recording").value = "";
      target.closest("p").remove();
      changed(box("recording"));
    }
  });

  // A reading is set aside in writing: its number, and why.
  function setAside(text) {
    const area = box("set_aside");
    area.closest("details").open = true;
    area.value = area.value.trim() ? `${area.value.trim()}\n${text}` : text;
    area.rows = area.value.split("\n").length;
    if (text.endsWith(" ")) {
      area.focus();
      area.setSelectionRange(area.value.length, area.value.length);
    } else changed(area);
  }

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || inText(event.target)) return;
    if (document.querySelector("dialog[open]")) return;
    if (event.key === " " && document.getElementById("tap")) {
      event.preventDefault();
      if (!event.repeat) tap(event);
      return;
    }
  });

  // Choosing a file is no change of the measurement: a preview sent for it could come in behind the
  // recording itself, and put the draft back to where it had none.
  for (const kind of ["input", "change"]) {
    document.addEventListener(kind, (event) => event.target.id === "motion" && event.stopPropagation(), true);
  }

  // --- what the server says ---

  document.addEventListener("htmx:afterSwap", (event) => {
    if (event.target.id !== "outcome" || !taps.length) return;
    if (document.querySelector("#outcome [data-enough]") && !isStopped) {
      isStopped = true;
      document.getElementById("tap")?.classList.add("is-stopped");
    }
  });

  addEventListener("DOMContentLoaded", () => {
    // A run begun before the page was left goes on where it stood only as times; new taps start anew.
    const count = document.getElementById("tap-count");
    if (count) count.textContent = box("tap_times").value.split(/\s+/).filter(Boolean).length;
  });
})();
