// What waits on this device while the server cannot be reached: boxes that were written and not sent.
"use strict";

(() => {
  const KEPT = "kentrobar-written";
  const kept = JSON.parse(sessionStorage.getItem(KEPT) ?? "{}");
  const many = Object.keys(kept.boxes ?? {}).length;
  const list = document.getElementById("waiting-list");
  const again = document.getElementById("again");
  if (many) {
    const line = document.createElement("li");
    line.textContent = `${many} box${many > 1 ? "es" : ""} written on ${kept.at}`;
    list.append(line);
    document.getElementById("waiting").hidden = false;
    again.href = kept.at;
    sessionStorage.setItem(KEPT, JSON.stringify({ ...kept, wasAway: true }));
  } else if (location.pathname !== "/offline/") {
    again.href = location.pathname + location.search;
  }
  addEventListener("online", () => again.click());
})();
