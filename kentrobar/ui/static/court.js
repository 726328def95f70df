// Rounds answered on court. What is said waits on the phone until the workshop has it.
"use strict";

(() => {
  const page = document.getElementById("court");
  const KEPT = `kentrobar-court-${page.dataset.key}`;
  const AGAIN_MS = 5000;
  const form = document.getElementById("court-form");
  const note = document.getElementById("court-note");
  let told = JSON.parse(document.getElementById("court-told").textContent);
  let waiting = JSON.parse(localStorage.getItem(KEPT) ?? "[]");
  let isSending = false;

  const keep = () => localStorage.setItem(KEPT, JSON.stringify(waiting));

  // Those of the session at hand that nobody has answered, here or there.
  function open() {
    const here = waiting.filter((one) => one.session === told.session).map((one) => one.pair);
    return told.rounds.map((_, i) => i).filter((i) => !told.done.includes(i) && !here.includes(i));
  }

  function show() {
    const [next] = open();
    const isThere = next !== undefined;
    for (const id of ["court-count", "court-question", "court-which", "court-moves", "court-form"]) {
      document.getElementById(id).hidden = !isThere;
    }
    if (isThere) ask(next);
    else if (!waiting.length) note.textContent = told.is_over ? page.dataset.over : page.dataset.next;
    if (waiting.length) note.textContent = `${page.dataset.waits} ${waiting.length}`;
  }

  function ask(next) {
    // Nothing is put in the place of a button that is being pressed.
    const round = `${told.session}/${next}`;
    if (page.dataset.shown === round) return;
    page.dataset.shown = round;
    const { which, options } = told.rounds[next];
    const numbers = [next + 1, told.rounds.length];
    const count = document.getElementById("court-count");
    count.textContent = count.dataset.words.replace(/\{\}/g, () => numbers.shift());
    document.getElementById("court-which").replaceChildren(
      ...which.flatMap((name, i) => {
        const one = document.createElement("b");
        one.textContent = name;
        return i ? [" → ", one] : [one];
      }),
    );
    document.getElementById("court-moves").replaceChildren(
      ...(told.rounds[next].moves ?? []).map((words) => {
        const one = document.createElement("li");
        one.textContent = words;
        return one;
      }),
    );
    document.getElementById("court-said").replaceChildren(
      ...options.map(([value, label]) => {
        const one = document.createElement("button");
        [one.type, one.value, one.textContent] = ["button", value, label];
        return one;
      }),
    );
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
    // While the bench fits, the phone asks whether it has.
    if (isSending || !(waiting.length || told.waits)) return;
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
      if (some.length) note.textContent = page.dataset.sent;
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
