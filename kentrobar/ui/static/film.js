// A film sent with how far it is; or a camera, whose pictures are made small and grey here and sent
// a second's worth at a time. What they come to is computed by the server.
"use strict";

(() => {
  const LONG_SIDE = 64;
  const PART_MS = 1000;
  const live = document.getElementById("film-live");
  const form = document.getElementById("film-form");
  const csrf = () => document.querySelector("#film-form [name=csrfmiddlewaretoken]").value;

  // --- a file, with how far it is ---

  form.addEventListener("submit", () => {
    const bar = document.getElementById("film-sent");
    bar.hidden = false;
    bar.removeAttribute("value");
  });

  // --- a camera ---

  if (!navigator.mediaDevices?.getUserMedia || !("requestVideoFrameCallback" in HTMLVideoElement.prototype)) return;
  live.hidden = false;
  const view = document.getElementById("film-view");
  const words = document.getElementById("film-words");
  const button = document.getElementById("film-go");
  const canvas = document.createElement("canvas");
  const paper = canvas.getContext("2d", { willReadFrequently: true });
  let stream = null;
  let run = "";
  let number = 0;
  let times = [];
  let pictures = [];
  let sending = Promise.resolve();

  button.addEventListener("click", () => (stream ? end(true) : begin()));

  async function begin() {
    try {
      stream = await navigator.mediaDevices.getUserMedia({
        video: { facingMode: "environment", frameRate: { ideal: 60 }, width: { ideal: 640 } },
        audio: false,
      });
    } catch (error) {
      words.textContent = error.message;
      return;
    }
    view.hidden = false;
    view.srcObject = stream;
    await view.play();
    run = crypto.randomUUID?.() ?? String(Math.random()).slice(2);
    [number, times, pictures] = [0, [], []];
    const k = LONG_SIDE / Math.max(view.videoWidth, view.videoHeight);
    canvas.width = Math.max(8, Math.round(view.videoWidth * k));
    canvas.height = Math.max(8, Math.round(view.videoHeight * k));
    button.textContent = button.dataset.stop;
    view.requestVideoFrameCallback(seen);
  }

  function seen(now, told) {
    if (!stream) return;
    view.requestVideoFrameCallback(seen);
    const at = told.mediaTime || now / 1000;
    if (times.length && at <= times[times.length - 1]) return;
    paper.drawImage(view, 0, 0, canvas.width, canvas.height);
    const points = paper.getImageData(0, 0, canvas.width, canvas.height).data;
    const grey = new Uint8Array(canvas.width * canvas.height);
    for (let i = 0, j = 0; i < grey.length; i += 1, j += 4) {
      grey[i] = (points[j] * 77 + points[j + 1] * 151 + points[j + 2] * 28) >> 8;
    }
    times.push(at);
    pictures.push(grey);
    if ((at - times[0]) * 1000 >= PART_MS) send(false);
  }

  // One after the other: the server computes with what it has, and an answer may end it.
  function send(isLast) {
    if (!times.length) return;
    const [some, grey] = [times, pictures];
    [times, pictures] = [[], []];
    const head = 6 + 8 * some.length;
    const body = new DataView(new ArrayBuffer(head + grey.length * grey[0].length));
    body.setUint16(0, some.length, true);
    body.setUint16(2, canvas.width, true);
    body.setUint16(4, canvas.height, true);
    some.forEach((at, i) => body.setFloat64(6 + 8 * i, at, true));
    const bytes = new Uint8Array(body.buffer);
    grey.forEach((one, i) => bytes.set(one, head + i * one.length));
    const asked = live.dataset.asked.split("?")[1];
    const at = `${live.dataset.at}?${asked}&run=${run}&number=${number}${isLast ? "&last" : ""}`;
    number += 1;
    sending = sending.then(() => post(at, body.buffer)).catch(() => {
      words.textContent = "…";
    });
  }

  async function post(at, body) {
    const answer = await fetch(at, {
      method: "POST",
      body,
      headers: { "Content-Type": "application/octet-stream", "X-CSRFToken": csrf() },
    });
    const told = await answer.json();
    words.textContent = told.words || told.fault || words.textContent;
    if (told.is_over) {
      end(false);
      htmx.trigger("#film-answer", "film-over");
    }
  }

  function end(isAsked) {
    if (!stream) return;
    stream.getTracks().forEach((track) => track.stop());
    stream = null;
    view.hidden = true;
    button.textContent = button.dataset.go;
    if (isAsked) send(true);
  }

  addEventListener("pagehide", () => end(false));
})();
