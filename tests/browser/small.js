// What is too small for a finger or an eye, or cut off; a function's body, run in the page.
const found = [];
const seen = (e) => e.getClientRects().length && getComputedStyle(e).visibility !== 'hidden'
  && !e.closest('[hidden], .visually-hidden, .skip');
const named = (e) => `${e.tagName} ${e.id || e.className} ${(e.textContent || '').trim().slice(0, 20)}`;
document.querySelectorAll('details:not([open])').forEach((one) => { one.open = true; });
for (const e of document.querySelectorAll('button, a[href], input:not([type=hidden]), select, textarea, summary')) {
  if (!seen(e) || (e.matches('[type=checkbox], [type=radio]') && e.closest('label'))) continue;
  const inText = e.matches('a') && getComputedStyle(e).display === 'inline'
    && e.parentElement.textContent.trim().length > e.textContent.trim().length;
  const least = e.closest('table, svg') ? 32 : 44;
  const {height} = e.getBoundingClientRect();
  if (!inText && height < least - 0.5) found.push(`${Math.round(height)} px: ${named(e)}`);
  if (e.matches('button, .btn') && e.scrollWidth > e.clientWidth + 2) found.push(`cut off: ${named(e)}`);
  const isBox = e.matches('select, textarea, input:not([type=checkbox], [type=radio], [type=file])');
  if (isBox && parseFloat(getComputedStyle(e).fontSize) < 16) found.push(`small letters: ${named(e)}`);
}
for (const text of document.querySelectorAll('svg text')) {
  const m = seen(text) && text.getScreenCTM();
  if (!m) continue;
  const drawn = parseFloat(getComputedStyle(text).fontSize) * Math.sqrt(Math.abs(m.a * m.d - m.b * m.c));
  if (drawn < 10.95) found.push(`${drawn.toFixed(1)} px drawn: ${text.textContent.trim().slice(0, 20)}`);
}
return found;
