// Gestures only: where a hand is, which key was pressed, which form to send. What a gesture does to a
// piece and to the figures is worked out by the server, which answers with the board.
"use strict";

(() => {
  const DRAG_STARTS = 4; // CSS pixels a finger may tremble before it is a drag
  const PIECE = ".board svg.bench [data-piece]";
  const board = () => document.getElementById("board");
  const state = () => document.getElementById("board-state").dataset;
  const inText = (element) =>
    element.closest?.("input:not([type=checkbox]):not([type=radio]):not([type=range]), textarea, select, [contenteditable]");

  // --- one thing after another: every change is sent with the version the one before it left ---

  let queue = Promise.resolve();
  const after = (task) => (queue = queue.then(task, task));

  // The row of the piece in hand is in sight, without moving the page.
  function showRow() {
    const list = document.querySelector(".pieces");
    const row = list?.querySelector(".is-picked");
    if (row) list.scrollTop = row.offsetTop - list.clientHeight / 2;
  }

  document.addEventListener("htmx:afterSwap", showRow);

  // Which regions of the board are here and what they show: only what changed is sent. A box that
  // says something else than it came with has to come again.
  const MOST_TOLD = 6000; // characters of one header
  const isTyped = (box) =>
    box.type === "checkbox" ? box.checked !== box.defaultChecked
      : box.options ? [...box.options].some((one) => one.selected !== one.defaultSelected)
        : box.type !== "hidden" && box.value !== box.defaultValue;
  function holds() {
    const typed = new Set();
    for (const box of board().querySelectorAll("input, select"))
      if (isTyped(box)) typed.add(box.closest("[data-print]"));
    const told = [...board().querySelectorAll("[data-print]"), board()]
      .filter((one) => !typed.has(one)).map((one) => `${one.id}:${one.dataset.print}`).join(" ");
    return told.length > MOST_TOLD ? {} : { "Kentrobar-Holds": told };
  }

  function send(url, values, method = "POST") {
    const { version, pick } = state();
    return htmx.ajax(method, url, {
      source: document.getElementById("main"),
      target: "#board",
      swap: "none",
      headers: holds(),
      values: { version, pick, ...values },
    });
  }

  document.addEventListener("submit", (event) => {
    const form = event.target;
    if (!form.closest("#board")) return;
    event.preventDefault();
    const { submitter } = event;
    const values = Object.fromEntries(new FormData(form, submitter));
    delete values.version;
    if (!submitter || submitter.name !== "pick") delete values.pick;
    // One box at a time says what is meant: the others may be older than the answer to the one before.
    if (form.dataset.typed) values["piece-typed"] = form.dataset.typed;
    delete form.dataset.typed;
    const url = submitter?.getAttribute("formaction") ?? form.action;
    const method = (submitter?.getAttribute("formmethod") ?? form.method).toUpperCase();
    after(() => send(url, values, method));
  });

  // While a wish is being changed, the answer under it is that of the wish before.
  document.addEventListener("input", ({ target }) => {
    if (target.closest("#wish, #ask")) document.querySelector("[data-stale]")?.classList.add("is-stale");
  });

  // A box that was changed is kept at once, like everything else on the board.
  document.addEventListener("change", (event) => {
    const form = event.target.closest("#piece-form, form.target");
    if (form) {
      form.dataset.typed = event.target.name;
      form.requestSubmit();
    } else if (event.target.closest(".plan-name")) event.target.form.requestSubmit();
  });

  document.addEventListener("htmx:responseError", (event) => {
    const { status, responseText } = event.detail.xhr;
    const says = document.getElementById("page-says");
    // A role that may only look: the answer is a sentence, not a page.
    if (status === 403 && says && responseText && !responseText.includes("<html")) {
      says.textContent = responseText.trim();
      says.hidden = false;
      return;
    }
    // The plan is gone: the page itself knows what to say.
    if (board() && [403, 404].includes(event.detail.xhr.status)) location.reload();
  });

  // --- keys: a key presses the button that carries it ---

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (inText(event.target)) {
      // Leaving a changed box keeps it, so Enter need only leave it.
      const kept = event.target.closest("#piece-form, form.target, .plan-name");
      if (event.key === "Escape" || (event.key === "Enter" && kept)) {
        event.preventDefault();
        event.target.blur();
      }
      return;
    }
    if (document.querySelector("dialog[open], .dropdown-menu.show")) return;
    if (event.key === "/") {
      event.preventDefault();
      document.getElementById("finding")?.showModal();
      return;
    }
    if (event.key === "?") {
      event.preventDefault();
      document.getElementById("keys-list")?.showModal();
      return;
    }
    const key = event.key === "Delete" ? "Backspace" : event.key;
    if (key.length > 1 && !["Backspace", "Escape"].includes(key)) return;
    const wanted = `[data-key="${CSS.escape(key)}"]`;
    if (!board()) {
      // Measuring has keys of its own.
      const button = document.querySelector(`#answer ${wanted}`);
      if (button) event.preventDefault();
      button?.click();
      return;
    }
    // Looked up when its turn comes: the board may be another one by then.
    if (document.querySelector(wanted)) event.preventDefault();
    after(() => {
      const button = board().querySelector(wanted);
      if (!button || button.disabled) return;
      const values = button.name ? { [button.name]: button.value } : {};
      return send(button.getAttribute("formaction"), values, (button.getAttribute("formmethod") ?? "POST").toUpperCase());
    });
  });

  // What was found is walked through with the arrows; Enter opens the first, or the one in hand.
  document.addEventListener("keydown", (event) => {
    const dialog = event.target.closest?.("#finding");
    if (!dialog) return;
    const found = [...dialog.querySelectorAll("#found a")];
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (by) {
      event.preventDefault();
      const at = found.indexOf(document.activeElement) + by;
      (found[at] ?? dialog.querySelector("input")).focus();
    } else if (event.key === "Enter" && event.target.matches("input") && found.length) {
      event.preventDefault();
      found[0].click();
    }
  });

  // --- dragging: the server is asked where the piece would come to lie, one question at a time ---

  let drag = null;

  const onPaper = (svg, event) =>
    new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  function place(svg, event) {
    const at = onPaper(svg, event);
    const { x0, y0, k } = svg.dataset;
    return { x: ((at.x - x0) / k).toFixed(2), y: ((at.y - y0) / k).toFixed(2) };
  }

  // Between two answers the piece keeps under the finger: it is shown as far from where the last
  // answer put it as the finger has gone since that was asked. Figures wait for the answer.
  function follow() {
    if (!drag?.now) return;
    const [dx, dy] = [drag.now.x - drag.shown.x, drag.now.y - drag.shown.y];
    const held = document.querySelectorAll(`.board svg.bench .mark[data-piece="${CSS.escape(drag.pick)}"]`);
    for (const mark of held) {
      const part = drag.end ? mark.querySelector(`[data-end="${CSS.escape(drag.end)}"]`) : mark;
      part?.setAttribute("transform", `translate(${dx.toFixed(1)} ${dy.toFixed(1)})`);
    }
    drag.frame = requestAnimationFrame(follow);
  }

  function ask() {
    if (!drag || drag.asking || !drag.next) return;
    const values = { ...drag.next, pick: drag.pick, end: drag.end, preview: 1 };
    drag.next = null;
    drag.asking = true;
    const asked = drag.now;
    after(() => (drag ? send(board().dataset.drag, values) : null)).finally(() => {
      if (!drag) return;
      drag.asking = false;
      drag.shown = asked;
      // Refused: somebody else has moved it meanwhile, so it falls out of the hand.
      if (document.querySelector("#said.is-refused")) endDrag();
      else ask();
    });
  }

  document.addEventListener("pointerdown", (event) => {
    const mark = event.target.closest?.(PIECE);
    if (!mark || event.button) return;
    const shape = event.target.closest("[data-end]");
    drag = {
      id: event.pointerId, pick: mark.dataset.piece, end: shape?.dataset.end ?? "",
      from: [event.clientX, event.clientY], moved: false, next: null, last: null, asking: false,
      shown: onPaper(mark.ownerSVGElement, event), now: null, frame: 0,
    };
    // The board is swapped under the hand while it drags: the page itself follows the pointer.
    document.documentElement.setPointerCapture(event.pointerId);
    // A box being typed in is kept before the drag begins.
    if (inText(document.activeElement)) document.activeElement.blur();
    event.preventDefault();
  });

  document.addEventListener("pointermove", (event) => {
    if (drag?.id !== event.pointerId) return;
    const [x, y] = drag.from;
    if (!drag.moved && Math.hypot(event.clientX - x, event.clientY - y) < DRAG_STARTS) return;
    drag.moved = true;
    document.body.classList.add("is-dragging");
    const svg = board().querySelector("svg.bench");
    drag.next = drag.last = place(svg, event);
    drag.now = onPaper(svg, event);
    if (!drag.frame) follow();
    ask();
  });

  function endDrag() {
    if (drag) cancelAnimationFrame(drag.frame);
    drag = null;
    document.querySelectorAll(".board .mark[transform], .board .mark [transform]")
      .forEach((one) => one.removeAttribute("transform"));
    document.body.classList.remove("is-dragging");
  }

  function letGo(event) {
    if (drag?.id !== event.pointerId) return;
    const done = drag;
    endDrag();
    if (!done.moved || event.type === "pointercancel") after(() => send(board().dataset.board, { pick: done.pick }, "GET"));
    else after(() => send(board().dataset.drag, { ...done.last, pick: done.pick, end: done.end }));
  }
  document.addEventListener("pointerup", letGo);
  document.addEventListener("pointercancel", letGo);
  // Touch: a finger on a piece drags it; a finger elsewhere scrolls the page.
  const onPiece = (event) => event.target.closest?.(PIECE) && event.preventDefault();
  document.addEventListener("touchstart", onPiece, { passive: false });

  // A row of the table is as good as its number.
  document.addEventListener("click", (event) => {
    const row = event.target.closest("#board [data-piece-row]");
    if (row && !event.target.closest("button")) row.querySelector("button").click();
    const opener = event.target.closest("[data-open]");
    if (opener) {
      event.preventDefault();
      document.getElementById(opener.dataset.open).showModal();
    }
    if (event.target.closest("[data-print]")) print();
  });

  // --- wishes and sets: what stands on a drawing or in an answer presses the boxes of the form ---

  const changed = (box) => box.dispatchEvent(new Event("change", { bubbles: true }));
  document.addEventListener("click", (event) => {
    const site = event.target.closest("[data-toggles]");
    if (site) document.getElementById(site.dataset.toggles)?.click();
    const choose = event.target.closest("[data-choose]");
    if (choose) {
      const box = document.getElementById(choose.dataset.choose);
      box.value = choose.dataset.value;
      changed(box);
    }
    const untick = event.target.closest("[data-untick]");
    if (untick) {
      const boxes = untick.dataset.untick.split(" ").filter(Boolean)
        .map((pk) => document.querySelector(`.set-frames input[value="${pk}"]`));
      boxes.forEach((box) => (box.checked = false));
      if (boxes.length) changed(boxes[0]);
    }
    const face = event.target.closest("svg.face-map");
    if (face) {
      const form = document.getElementById("set-mark");
      const { x, y } = place(face, event);
      form.elements.x.value = x;
      form.elements.y.value = y;
      form.requestSubmit();
    }
  });
  document.addEventListener("change", (event) => {
    if (event.target.matches("[data-submits]")) event.target.form.requestSubmit();
  });
  // Come from the words of a player: the search begins by itself.
  addEventListener("DOMContentLoaded", () => {
    if (location.search === "?find") document.getElementById("wish")?.requestSubmit();
  });

  // --- the outline: light the dimension being asked for ---

  const light = (event) => {
    const box = event.target.closest?.("[data-lights]");
    document.querySelectorAll(".dim.is-lit").forEach((dim) => dim.classList.remove("is-lit"));
    if (box && event.type === "focusin")
      document.querySelector(`.dim[data-dim="${box.dataset.lights}"]`)?.classList.add("is-lit");
  };
  document.addEventListener("focusin", light);
  document.addEventListener("focusout", light);
  document.addEventListener("htmx:afterSettle", () => {
    const box = document.activeElement?.closest?.("[data-lights]");
    if (box) light({ target: box, type: "focusin" });
  });

  // On the sheet, Enter goes on to the next measure; the last one leaves the box.
  document.addEventListener("keydown", (event) => {
    const box = event.key === "Enter" && event.target.closest?.("[data-lights]");
    if (!box) return;
    event.preventDefault();
    const boxes = [...document.querySelectorAll("[data-lights]")];
    const next = boxes[boxes.indexOf(box) + 1];
    // The sheet answers with new boxes: the next one is found again by its name.
    if (next) sheetNext = next.name;
    box.blur();
    next?.focus();
  });
  let sheetNext = null;
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.target.id !== "outline" || !sheetNext) return;
    const box = document.querySelector(`[data-lights="${sheetNext}"]`);
    sheetNext = null;
    box?.focus();
    box?.select();
  });

  // --- changed figures are said once, when they have come to rest ---

  const QUIET_MS = 500;
  let saying = null;
  document.addEventListener("htmx:afterSettle", (event) => {
    const told = event.target.querySelector("[data-heard]") ?? document.querySelector("#board [data-heard]");
    const heard = document.getElementById("heard");
    if (!told || !heard || !told.dataset.heard) return;
    clearTimeout(saying);
    saying = setTimeout(() => {
      if (heard.textContent !== told.dataset.heard) heard.textContent = told.dataset.heard;
    }, QUIET_MS);
  });

  // --- a page for when the server cannot be reached (shell.py) ---

  if (window.isSecureContext && "serviceWorker" in navigator) navigator.serviceWorker.register("/worker.js");

  // --- the first fault has the cursor: of a page, and of an answer that took the cursor away ---

  const FAULTS = ["input", "select", "textarea"].map((box) => `main .has-fault ${box}`).join();
  const toFault = () => document.querySelector(FAULTS)?.focus();
  addEventListener("DOMContentLoaded", () => {
    document.documentElement.classList.add("has-script");
    showRow();
    toFault();
  });
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.detail.xhr?.status === 422 && document.activeElement === document.body) toFault();
  });
})();
