// A table one types into: Enter and the arrows go from row to row, a part of a spreadsheet is pasted
// from the box that has the cursor on, and a new row begins like the one above it.
"use strict";

(() => {
  const BOX = "input:not([type=hidden]):not([type=file]):not([type=checkbox]), select";
  const ROW = "tr, [data-row]";
  const rowsOf = (grid) =>
    [...grid.querySelectorAll(grid.tBodies ? "tbody tr" : "[data-row]")]
      .filter((row) => !row.hidden && row.querySelector(BOX));
  const boxesOf = (row) => [...row.querySelectorAll(BOX)];
  const last = (name) => name.replace(/^.*-/, "");

  // The mark that comes after: F1, F2; no. 09, no. 10.
  const next = (mark) =>
    mark.replace(/\d+$/, (number) => String(Number(number) + 1).padStart(number.length, "0"));

  function add(grid, begins = true) {
    const template = grid.querySelector("template");
    const total = template && document.querySelector(`[name="${grid.dataset.grid}-TOTAL_FORMS"]`);
    const most = document.querySelector(`[name="${grid.dataset.grid}-MAX_NUM_FORMS"]`);
    if (!total || Number(total.value) >= Number(most.value)) return null;
    const above = rowsOf(grid).at(-1);
    const holder = document.createElement("tbody");
    holder.innerHTML = template.innerHTML.replaceAll("__prefix__", total.value);
    const row = holder.querySelector("tr");
    total.value = Number(total.value) + 1;
    grid.tBodies[0].append(row);
    if (begins && above) {
      const told = Object.fromEntries(boxesOf(above).map((box) => [last(box.name), box.value]));
      for (const box of boxesOf(row)) {
        const name = last(box.name);
        if (["like", "maker", "model", "condition"].includes(name)) box.value = told[name];
        if (name === "serial") box.value = next(told[name]) === told[name] ? "" : next(told[name]);
      }
    }
    return row;
  }

  function go(grid, box, by) {
    const rows = rowsOf(grid);
    const row = box.closest(ROW);
    const column = boxesOf(row).indexOf(box);
    let other = rows[rows.indexOf(row) + by];
    if (!other && by > 0 && boxesOf(row).some((one) => one.tagName === "INPUT" && one.value)) {
      other = add(grid);
      // It came by itself: until something is typed in it, it is no row that was meant.
      if (other) other.dataset.untouched = "";
    }
    const there = other && boxesOf(other)[column];
    there?.focus();
    there?.select?.();
  }

  function put(box, text) {
    if (box.tagName !== "SELECT") box.value = text.trim();
    else {
      const wanted = text.trim().toLowerCase();
      const found = [...box.options].find((one) => [one.value.toLowerCase(), one.text.toLowerCase()].includes(wanted));
      if (found) box.value = found.value;
    }
    box.dispatchEvent(new Event("input", { bubbles: true }));
  }

  document.addEventListener("keydown", (event) => {
    const grid = event.target.closest?.("[data-grid]");
    if (!grid || !event.target.matches(BOX) || event.isComposing) return;
    const by = { Enter: 1, ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!by || (event.target.tagName === "SELECT" && event.key !== "Enter")) return;
    event.preventDefault();
    go(grid, event.target, event.shiftKey && event.key === "Enter" ? -1 : by);
  });

  document.addEventListener("paste", (event) => {
    const grid = event.target.closest?.("[data-grid]");
    const text = event.clipboardData?.getData("text") ?? "";
    if (!grid || !event.target.matches(BOX) || !/[\t\n]/.test(text.trimEnd())) return;
    event.preventDefault();
    let row = event.target.closest(ROW);
    const from = boxesOf(row).indexOf(event.target);
    const lines = text.replace(/\r/g, "").replace(/\n+$/, "").split("\n");
    lines.forEach((line, i) => {
      if (i) row = rowsOf(grid)[rowsOf(grid).indexOf(row) + 1] ?? add(grid);
      line.split("\t").forEach((cell, j) => row && boxesOf(row)[from + j] && put(boxesOf(row)[from + j], cell));
    });
  });

  document.addEventListener("click", (event) => {
    const adds = event.target.closest("[data-adds]");
    const grid = adds && document.querySelector(`[data-grid="${adds.dataset.adds}"]`);
    if (grid) {
      const row = add(grid);
      if (row) event.preventDefault();
      const first = row && boxesOf(row).find((box) => box.tagName === "INPUT" && !box.value);
      first?.focus();
    }
    const row = event.target.closest("[data-clears]")?.closest("tr");
    if (row) {
      for (const box of boxesOf(row)) if (box.tagName === "INPUT") box.value = "";
      for (const keys of row.querySelectorAll("input[type=hidden], input[type=file]")) keys.value = "";
      row.hidden = true;
    }
    const puts = event.target.closest("[data-puts]");
    if (puts) {
      const box = document.getElementById(puts.dataset.into);
      put(box, puts.dataset.puts);
      box.focus();
    }
  });

  document.addEventListener("input", (event) => delete event.target.closest("[data-untouched]")?.dataset.untouched);
  document.addEventListener(
    "submit",
    (event) => {
      for (const row of event.target.querySelectorAll("[data-untouched]"))
        for (const box of boxesOf(row)) if (box.tagName === "INPUT") box.value = "";
    },
    true,
  );

  // What was ticked or let go while the list was asked for again stays so.
  let rowsBefore = new Map();
  const ticks = (list) => [...list.querySelectorAll("input[type=checkbox][name=frame]")];
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.detail.target.id !== "take-frames") return;
    rowsBefore = new Map(ticks(event.detail.target).map((box) => [box.value, [box.checked, box.closest(ROW)]]));
  });
  document.addEventListener("htmx:afterSwap", () => {
    const list = document.getElementById("take-frames");
    if (!rowsBefore.size || !list) return;
    for (const box of ticks(list)) {
      if (rowsBefore.has(box.value)) [box.checked] = rowsBefore.get(box.value);
      rowsBefore.delete(box.value);
    }
    for (const [isOn, row] of rowsBefore.values()) if (isOn) list.querySelector("tbody").prepend(row);
    rowsBefore = new Map();
  });

  // A camera's button says how many were taken.
  document.addEventListener("change", (event) => {
    const label = event.target.matches("input[type=file]") && event.target.closest(".camera label");
    if (label) label.firstChild.textContent = event.target.files.length ? `${event.target.files.length} taken` : "Photo";
  });
})();
