// The strum test by ear: the player holds the position and strikes string 6, then 5 and so on; the server says which ring, and what would silence them.
const StrumTest = {
  async begin(button) {
    if (this.opening) return;
    this.opening = true;
    const pane = button.closest('section');
    const [list, said] = [pane.querySelector('.strum-list'), pane.querySelector('.strum-said')];
    try {
      this.microphone = await Microphone.open((block) => this.listening?.hear(block));
    } catch (err) {
      said.textContent = Microphone.why(err, 'Judge by your own ears.');
      return;
    } finally {
      this.opening = false;
    }
    const { microphone } = this;
    Object.assign(this, { button, list, said });
    this.listening = new Listening(() => button.dataset.strumListen, microphone.context, {
      opened: () => this.clear(),
      answer: (heard) => heard.forEach((h) => this.show(h)),
      trouble: (words) => { said.textContent = words; },
    });
    microphone.begin();
    button.setAttribute('aria-pressed', 'true');
    this.gone = setInterval(() => { if (!list.isConnected || document.hidden) this.end(); }, 500);
  },

  clear() {
    this.said.textContent = 'Strike string 6 and let it ring for a moment. Then 5, and so on.';
    this.list.querySelectorAll('li').forEach((li) => { li.classList.remove('is-struck'); li.querySelector('.strum-heard')?.remove(); });
    this.list.firstElementChild.classList.add('is-struck');
  },

  show(h) {
    const rows = [...this.list.children];
    const row = (string) => rows.find((li) => li.querySelector('b').textContent === String(string));
    row(h.string)?.append(Object.assign(document.createElement('em'), { className: `strum-heard ${h.good ? 'is-right' : 'is-wrong'}`, textContent: h.text }));
    rows.forEach((li) => li.classList.toggle('is-struck', li === row(h.next)));
    if (h.said) { this.said.textContent = h.said; this.end(); }
  },

  end() {
    clearInterval(this.gone);
    this.listening?.close();
    this.microphone?.close();
    this.listening = null;
    this.microphone = null;
    this.button?.setAttribute('aria-pressed', 'false');
  },
};

document.addEventListener('click', (e) => {
  const button = e.target.closest('[data-strum-listen]');
  if (!button) return;
  if (StrumTest.microphone) StrumTest.end(); else StrumTest.begin(button);
});
