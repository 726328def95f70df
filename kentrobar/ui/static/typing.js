// What a hand types is never lost to an answer that comes meanwhile. An answer brings new boxes for
// the old ones: every box that was typed into since the question was asked keeps what stands in it,
// and the one in hand keeps its cursor and its selection.
"use strict";

(() => {
  const BOX = "input:not([type=hidden]):not([type=file]), textarea, select";
  const isTick = (box) => box.type === "checkbox" || box.type === "radio";
  const valueOf = (box) => (isTick(box) ? String(box.checked) : box.value);
  const boxesOf = (root) => root?.querySelectorAll?.(BOX) ?? [];

  // What stood in each box when the last question was asked.
  const asked = new WeakMap();
  document.addEventListener("htmx:beforeRequest", ({ detail }) => {
    for (const box of boxesOf(detail.target)) asked.set(box, valueOf(box));
  });

  // What stood in it when its change was told; a box in hand that says something else is still
  // being typed into.
  const told = new WeakMap();
  document.addEventListener("change", ({ target }) => told.set(target, valueOf(target)), true);
  const isHeld = (box) => box === document.activeElement && told.get(box) !== valueOf(box);

  // How the new box for an old one is found.
  function finder(box) {
    const { id, name, value } = box;
    if (id) return () => document.getElementById(id);
    const within = box.form?.id ? `#${CSS.escape(box.form.id)} ` : "";
    const which = isTick(box) ? `[value="${CSS.escape(value)}"]` : "";
    return () => document.querySelector(`${within}[name="${CSS.escape(name)}"]${which}`);
  }

  function selectionOf(box) {
    try {
      const { selectionStart: from, selectionEnd: to, value } = box;
      return { from, to, isWhole: value.length > 0 && from === 0 && to === value.length };
    } catch {
      return {};
    }
  }

  let typed = [];
  let late = null;
  let inHand = null;
  let isSwapping = false;
  document.addEventListener("htmx:beforeSwap", ({ detail }) => {
    isSwapping = true;
    const isNew = (box) => asked.has(box) && valueOf(box) !== asked.get(box);
    typed = [...boxesOf(detail.target)].filter(isNew)
      .map((box) => ({ find: finder(box), value: valueOf(box), isHeld: isHeld(box) }));
    const box = document.activeElement;
    inHand = detail.target?.contains?.(box) && box.matches(BOX)
      ? { find: finder(box), isNew: isNew(box), ...selectionOf(box) } : null;
  });

  // Told of every part that was swapped, once all are in place.
  document.addEventListener("htmx:afterSwap", () => {
    if (!isSwapping) return;
    isSwapping = false;
    late = null;
    for (const { find, value, isHeld } of typed) {
      const box = find();
      if (!box) continue;
      if (isTick(box)) box.checked = value === "true";
      else box.value = value;
      // The browser does not count it as typed into the new box: leaving it must.
      if (isHeld) box.dataset.carried = "";
      else late = box;
    }
    const fault = document.querySelector("#board .field:has(.fault) input");
    const box = inHand?.find();
    if (fault && !inHand?.isNew) fault.focus({ preventScroll: true });
    else if (box) {
      box.focus({ preventScroll: true });
      try {
        if (inHand.isWhole) box.select();
        else if (inHand.from !== null && inHand.from !== undefined) box.setSelectionRange(inHand.from, inHand.to);
      } catch { /* a box without a cursor */ }
    }
    typed = [];
    inHand = null;
  });

  // What was left already went with a form that is gone now: the new one sends it, as soon as it
  // listens. On a plan every box is sent by itself, in its turn.
  document.addEventListener("htmx:afterSettle", () => {
    const box = late;
    late = null;
    if (box && !box.closest("#board")) box.dispatchEvent(new Event("change", { bubbles: true }));
  });

  // --- a session that ended, a server that is gone, other units: what was written is still there ---

  const KEPT = "kentrobar-written";
  // By its attribute: a form that has a box called "method" hides its own.
  const isPosted = (form) => form?.getAttribute("method")?.toLowerCase() === "post";
  const here = () => location.pathname + location.search;
  const read = () => JSON.parse(sessionStorage.getItem(KEPT) ?? "{}");
  const write = (kept) => sessionStorage.setItem(KEPT, JSON.stringify(kept));
  const pathOf = (address) => new URL(address ?? "", location).pathname;
  const isWritten = (box) => box.name && isPosted(box.form) && !box.form.matches(".units")
    && !box.matches("[type=password], [type=hidden], [type=file]");
  const nameOf = (box) => `${pathOf(box.form.getAttribute("action"))} ${box.name} ${isTick(box) ? box.value : ""}`;
  const keep = (boxes) => {
    const kept = read();
    const written = [...boxes].map((box) => [nameOf(box), valueOf(box)]);
    if (written.length) write({ ...kept, at: here(), boxes: { ...kept.boxes, ...Object.fromEntries(written) } });
  };

  document.addEventListener("input", ({ target: box }) => {
    if (box.matches?.(BOX) && isWritten(box) && !document.getElementById("sign-in")) keep([box]);
  });
  // A form that sends each of its boxes as it is left has no others.
  const sendsItself = (form) => form.closest("#board")
    || (form.hasAttribute("hx-post") && pathOf(form.getAttribute("hx-post")) === pathOf(form.getAttribute("action")));
  // The page comes anew in other units: a bare number takes along the one it was written in.
  const isBare = (part) => /[\d½¼¾⅛⅜⅝⅞⅓⅔]/.test(part) && !/[\p{L}%°"'″”]/u.test(part);
  const withUnit = ({ value, dataset: { unit } }) => (!unit ? value : value.split(/([\n;]+|,\s+)/)
    .map((part) => (isBare(part) ? `${part.trimEnd()} ${unit}` : part)).join(""));
  // What is asked by an address may have come to it since the page was fetched.
  function comeBackTo(next) {
    const there = new URL(location);
    for (const box of document.querySelectorAll("main [data-unit]"))
      if (!isPosted(box.form) && there.searchParams.get(box.name)) there.searchParams.set(box.name, withUnit(box));
    next.value = there.pathname + there.search;
  }
  addEventListener("submit", ({ target: units }) => {
    const { hasOtherUnits, ...kept } = read();
    const isTurning = units.matches(".units");
    if (isTurning) comeBackTo(units.elements.next);
    else if (hasOtherUnits) write(kept);
    if (!isTurning || !kept.boxes) return;
    const left = [...document.querySelectorAll(BOX)].filter((box) => isWritten(box) && !sendsItself(box.form));
    const forms = new Set(left.filter((box) => nameOf(box) in kept.boxes).map((box) => box.form));
    // And the axis that was meant.
    const taken = left.filter((box) => nameOf(box) in kept.boxes || (box.name === "axis" && forms.has(box.form)));
    const boxes = Object.fromEntries(taken.map((box) => [nameOf(box), isTick(box) ? valueOf(box) : withUnit(box)]));
    write({ ...kept, boxes, hasOtherUnits: true });
  });

  const WHY = {
    hasOtherUnits: "What you had written is back, in the units it was written in: save it again.",
    wasRefused: "What you wrote here before was not saved. It is back: save it, or leave it.",
    wasAway: "The server could not be reached. What you had written is back: save it again.",
    wasSignedOut: "You were signed out meanwhile. What you had written is back: save it again.",
  };
  // A form that was refused, and left by a link: what stood in it comes back once, with its page.
  const REFUSED = "kentrobar-refused";
  const refusedForms = () => [...document.querySelectorAll("main form:has(.fault)")].filter((form) => isPosted(form) && !sendsItself(form));
  function refusedBefore() {
    const all = JSON.parse(sessionStorage.getItem(REFUSED) ?? "{}");
    const forms = [...document.querySelectorAll("main form")].filter(isPosted);
    const isRefused = new Set(refusedForms().map((form) => pathOf(form.getAttribute("action"))));
    let found;
    for (const path of new Set(forms.map((form) => pathOf(form.getAttribute("action")))))
      if (all[path] && !isRefused.has(path)) {
        if (!all[path].wasSent) found = { ...found, ...all[path].boxes };
        delete all[path];
      }
    for (const [path, one] of Object.entries(all)) if (one.wasSent) delete all[path];
    for (const form of refusedForms()) {
      const boxes = [...boxesOf(form)].filter(isWritten).map((box) => [nameOf(box), valueOf(box)]);
      all[pathOf(form.getAttribute("action"))] = { boxes: Object.fromEntries(boxes) };
    }
    sessionStorage.setItem(REFUSED, JSON.stringify(all));
    return found;
  }
  function refusedIsSent(form) {
    const all = JSON.parse(sessionStorage.getItem(REFUSED) ?? "{}");
    const one = all[pathOf(form.getAttribute("action"))];
    if (!one) return;
    one.wasSent = true;
    sessionStorage.setItem(REFUSED, JSON.stringify(all));
  }

  addEventListener("DOMContentLoaded", () => {
    const kept = read();
    if (document.getElementById("sign-in")) {
      write({ ...kept, wasSignedOut: true });
      return;
    }
    sessionStorage.removeItem(KEPT);
    const why = Object.keys(WHY).find((one) => kept[one]) ?? "wasRefused";
    const boxes = why === "wasRefused" ? refusedBefore() : kept.boxes;
    const back = [];
    for (const box of boxes ? document.querySelectorAll(BOX) : []) {
      const value = isWritten(box) ? boxes[nameOf(box)] : undefined;
      if (value === undefined) continue;
      if (isTick(box)) box.checked = value === "true";
      else box.value = value;
      back.push(box);
    }
    const isSwing = kept.hasOtherUnits && back.some((box) => box.name.includes("swing"));
    if (back.length) say(WHY[why] + (isSwing ? " A swing weight is about the axis that is named here now." : ""));
    // Not taken yet: what came back, and what stands in a form that was refused.
    const refused = refusedForms().flatMap((form) => [...boxesOf(form)]);
    keep([...back, ...refused].filter(isWritten));
    // What says how it is read says so anew; what sends itself waits for a hand.
    for (const box of back)
      if (box.closest("[hx-get], [hx-post]") && !sendsItself(box.form)) box.dispatchEvent(new Event("change", { bubbles: true }));
  });

  // One line over the page, for what the page itself cannot be asked about.
  function say(text) {
    const line = document.getElementById("page-says");
    if (!line) return;
    line.textContent = text;
    line.hidden = false;
  }
  const GONE = "No answer from the server: your last change was not kept, and what you typed is still here. Do it again.";
  let trouble = "";
  // What was asked before the trouble and is answered after it does not mend it.
  const askedAt = new WeakMap();
  let troubledAt = 0;
  document.addEventListener("htmx:beforeRequest", ({ detail }) => askedAt.set(detail.xhr, performance.now()));
  const unanswered = (words) => {
    const { hasOtherUnits, ...kept } = read();
    if (hasOtherUnits) write(kept);
    trouble = words;
    troubledAt = performance.now();
    say(words);
  };
  document.addEventListener("htmx:sendError", () => unanswered(GONE));
  document.addEventListener("htmx:timeout", () => unanswered(GONE));
  document.addEventListener("htmx:responseError", ({ detail }) => {
    if (detail.xhr.status >= 500) unanswered(detail.xhr.getResponseHeader("Kentrobar-Says") ?? GONE);
  });
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    const line = document.getElementById("page-says");
    const isLater = (askedAt.get(detail.xhr) ?? troubledAt) >= troubledAt;
    if (detail.successful && isLater && trouble && line?.textContent === trouble) line.hidden = true;
  });

  // Whatever is asked says which units the page was made in: so its boxes are read.
  const { shown } = document.documentElement.dataset;
  document.addEventListener("htmx:configRequest", ({ detail }) => {
    if (shown) detail.headers["Kentrobar-Shown"] = shown;
  });
  document.addEventListener("formdata", ({ target, formData }) => {
    if (leaving !== target) return;
    refusedIsSent(target);
    if (shown) formData.set("shown", shown);
  });

  // A form that leaves the page is only sent while somebody is there to take it: else the browser
  // would put its own page in the place of what was written.
  let leaving = null;
  const answered = new WeakSet();
  const asking = new WeakSet();
  // An answer may have brought another button for the one that was pressed.
  const isLike = (one, other) => ["id", "name", "value", "formAction"].every((what) => one[what] === other[what]);
  const nowOf = (button, form) => (
    !button || button.form === form ? button : [...form.elements].find((one) => isLike(one, button)));
  // Or for the one a finger lies on: the browser makes no click of that. Only for one that has a
  // name of its own on the page: in a list, what lies there now may be another row's.
  let pressed = null;
  document.addEventListener("pointerdown", ({ target }) => { pressed = target.closest?.("button"); });
  document.addEventListener("pointerup", ({ target }) => {
    const now = target.closest?.("button");
    if (now?.id && pressed && !pressed.isConnected && isLike(now, pressed)) now.click();
    pressed = null;
  });
  // On the window, so that whatever sends it by script has had its turn.
  addEventListener("submit", async (event) => {
    const { target: form, submitter } = event;
    if (event.defaultPrevented || !isPosted(form)) return;
    if (answered.delete(form)) {
      leaving = form;
      return;
    }
    event.preventDefault();
    if (asking.has(form)) return;
    asking.add(form);
    try {
      await fetch(document.querySelector("link[rel=icon]").href, { method: "HEAD", cache: "no-store" });
      const button = nowOf(submitter, form);
      if (submitter && !button) {
        say("The page changed as you pressed, and nothing was sent: look at it, and press again.");
        return;
      }
      answered.add(form);
      form.requestSubmit(button);
    } catch {
      unanswered(GONE);
    } finally {
      asking.delete(form);
    }
  });

  document.addEventListener("change", (event) => delete event.target.dataset?.carried, true);
  document.addEventListener("focusout", ({ target: box }) => {
    if (box.isConnected && box.dataset?.carried === "") {
      delete box.dataset.carried;
      box.dispatchEvent(new Event("change", { bubbles: true }));
    }
  });
})();
