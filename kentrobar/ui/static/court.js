// Pairs answered on court. What is said waits on the phone until the workshop has it.
"use strict";

(() => {
  const page = document.getElementById("pairs");
  const KEPT = `kentrobar-court-${page.dataset.key}`;
  const AGAIN_MS = 5000;
  const form = document.getElementById("court-form");
  const note = document.getElementById("court-note");
  let told = JSON.parse(document.getElementById("court-pairs").textContent);
  let waiting = JSON.parse(localStorage.getItem(KEPT) ?? "[]");
  let isSending = false;

  const keep = () => localStorage.setItem(KEPT, JSON.stringify(waiting));

  // Those of the session at hand that nobody has answered, here or there.
  function open() {
    const here = waiting.filter((one) => one.session === told.session).map((one) => one.pair);
    return told.pairs.map((_, i) => i).filter((i) => !told.done.includes(i) && !here.includes(i));
  }

  function show() {
    const [next] = open();
    const isThere = next !== undefined;
    for (const id of ["court-count", "court-question", "court-which", "court-form"]) {
      document.getElementById(id).hidden = !isThere;
    }
    if (isThere) {
      const count = document.getElementById("court-count");
      count.textContent = `${count.dataset.words} ${next + 1} / ${told.pairs.length}`;
      const [first, second] = document.querySelectorAll("#court-which b");
      [first.textContent, second.textContent] = told.pairs[next];
    } else if (!waiting.length) {
      note.textContent = told.is_over ? page.dataset.over : page.dataset.thanks;
    }
    if (waiting.length) note.textContent = `${page.dataset.waits} ${waiting.length}`;
  }

  form.addEventListener("click", (event) => {
    const said = event.target.closest(".court-said button")?.value;
    const [pair] = open();
    if (!said || pair === undefined) return;
    const aspects = Object.fromEntries(new FormData(form).entries());
    waiting.push({ session: told.session, pair, said, aspects });
    keep();
    form.reset();
    show();
    send();
  });

  async function send() {
    if (isSending || !waiting.length) return;
    isSending = true;
    const some = [...waiting];
    try {
      const answer = await fetch(location.href, {
        method: "POST",
        body: JSON.stringify({ answers: some }),
        headers: {
          "Content-Type": "application/json",
          "X-CSRFToken": page.querySelector("[name=csrfmiddlewaretoken]").value,
        },
      });
      if (!answer.ok) throw new Error(answer.status);
      told = await answer.json();
      waiting = waiting.filter((one) => !some.includes(one));
      keep();
      note.textContent = page.dataset.sent;
    } catch {
      // No connection: they wait.
    } finally {
      isSending = false;
    }
    show();
  }

  show();
  send();
  addEventListener("online", send);
  setInterval(send, AGAIN_MS);
})();
