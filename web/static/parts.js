// Taps remembers what was clicked last: Space then means the page's own Space, and presses the button again only when the keyboard has come to it.
const Taps = {
  last: null,

  // takesSpace reports whether the element with the focus is to be pressed by Space itself.
  takesSpace(el) { return Boolean(el.closest('button, a, summary')) && el !== this.last; },
};
document.addEventListener('click', (e) => { Taps.last = e.detail ? e.target.closest('button, a, summary') : null; }, true);
document.addEventListener('focusin', (e) => { if (e.target !== Taps.last) Taps.last = null; });
document.addEventListener('keyup', (e) => { if (e.key === ' ' && e.target === Taps.last) e.preventDefault(); }); // or some browsers press it as the key comes up

// Parts are pieces of pages: fetched, and put into their places. What goes wrong is said in the same words everywhere.
const Parts = {
  away: 'Stepping is not responding. Is it still running? Everything you saved is safe.',
  wrong: 'That did not work. Load the page again.',

  // html asks for a part. null: the asking was given up. It throws an error whose message is for the player. wanted is what an answer has to hold, also one with a fault.
  async html(url, { body, signal, wanted } = {}) {
    let res;
    let html;
    try {
      res = await fetch(url, { method: body ? 'POST' : 'GET', headers: { 'X-Part': '1' }, body, signal });
      html = await res.text();
    } catch (err) {
      if (err.name === 'AbortError') return null;
      throw new Error(this.away);
    }
    if (wanted ? !html.includes(wanted) : !res.ok) throw new Error(this.wrong);
    return html;
  },

  // of is what a form holds, to be sent, with what the button says that sends it.
  of(form, by = null) { return new URLSearchParams(new FormData(form, by)); },

  // merge changes an element into html; what stays is not laid out anew. keep says what is left as it is.
  merge(el, html, keep = () => false) {
    morphdom(el, html, { onBeforeElUpdated: (from, to) => !from.isEqualNode(to) && !keep(from) });
  },

  // fill puts html into an element, the keyboard where it was.
  fill(el, html) {
    const focus = document.activeElement?.id;
    el.innerHTML = html;
    if (focus) document.getElementById(focus)?.focus();
  },

  // poll follows a plan that is still being worked out, and loads the page again when it is there.
  async poll(root) {
    const el = root.querySelector('[data-poll]');
    if (!el) return;
    try {
      const { percent, done } = await (await fetch(el.dataset.poll)).json();
      if (done) return location.reload();
      el.querySelector('progress').value = percent;
      el.querySelector('.poll-figure').textContent = `${percent}%`;
    } catch { /* the next try may reach it */ }
    setTimeout(() => this.poll(root), 700);
  },
};
