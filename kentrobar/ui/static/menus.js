// What opens and closes by a button: menus of a few choices, and on a phone the rest of the bar. How
// they look is Bootstrap's; its own script, which places menus anywhere, weighs more than most pages.
"use strict";

(() => {
  const of = (button) => document.getElementById(button.getAttribute("aria-controls"));
  const isOpen = (button) => button.getAttribute("aria-expanded") === "true";
  const open = (button, isWanted) => {
    button.setAttribute("aria-expanded", isWanted);
    const opened = of(button);
    opened.classList.toggle("show", isWanted);
    // Within the page, wherever its button stands.
    opened.style.translate = "";
    const { left, right } = opened.getBoundingClientRect();
    const edge = document.documentElement.clientWidth;
    opened.style.translate = `${Math.max(-left, 0) + Math.min(edge - right, 0)}px`;
  };
  // A menu goes where something else is done; the bar stays until its button is pressed again.
  const menus = () => [...document.querySelectorAll(".dropdown-toggle")].filter(isOpen);

  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-opens]");
    for (const other of menus()) if (other !== button) open(other, false);
    if (button) open(button, !isOpen(button));
  });

  document.addEventListener("focusin", (event) => {
    for (const one of menus()) if (!one.closest(".dropdown").contains(event.target)) open(one, false);
  });

  document.addEventListener("keydown", (event) => {
    const here = event.target.closest?.(".dropdown");
    const button = here?.querySelector(".dropdown-toggle");
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (event.key === "Escape" && menus().length) {
      // It closes the menu and nothing else: the piece in hand stays there.
      event.stopImmediatePropagation();
      for (const one of menus()) open(one, false);
      button?.focus();
    } else if (button && by) {
      event.preventDefault();
      open(button, true);
      const choices = [...of(button).querySelectorAll(".dropdown-item")];
      const at = choices.indexOf(document.activeElement);
      choices.at(at < 0 ? Math.min(by, 0) : (at + by) % choices.length).focus();
    }
  });
})();
