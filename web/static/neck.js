// The neck on which a tune is entered, key by key.
document.addEventListener('alpine:init', () => {
  // neck sends the keys of a tune that is entered, one after another, and shows what they come to.
  Alpine.data('neck', () => ({
    queue: Promise.resolve(),

    init() {
      this.$root.addEventListener('click', (e) => {
        const button = e.target.closest('button[name="key"]');
        if (!button) return;
        e.preventDefault();
        if (button.id === 'set-chord') this.chord(); else this.press(button.value);
      });
      this.$root.addEventListener('submit', (e) => { if (e.target.matches('.neck-form')) e.preventDefault(); });
      window.addEventListener('keydown', (e) => this.key(e));
      this.inSight();
    },

    // inSight keeps the note that comes next, and those just entered, within the strip where that is too narrow for all of it.
    inSight() {
      const strip = this.$root.querySelector('.strip');
      const now = strip.querySelector('.strip-now').getBoundingClientRect();
      const seen = strip.getBoundingClientRect();
      strip.scrollLeft += now.left - seen.left - 0.75 * seen.width;
    },

    key(e) {
      if (e.target.id === 'chord' && (e.key === 'Enter' || e.key === 'Escape')) {
        e.preventDefault();
        if (e.key === 'Enter') this.chord();
        e.target.blur();
        return;
      }
      if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest('input, textarea, select, summary')) return;
      const digit = /^Digit(\d)$/.exec(e.code);
      const named = { ArrowUp: 'up', ArrowDown: 'down', ArrowLeft: 'left', ArrowRight: 'right', Enter: 'here', Backspace: 'undo' };
      let key = null;
      if (digit) key = String(Number(digit[1]) + (e.shiftKey ? 10 : 0));
      else if (/^\d$/.test(e.key)) key = e.key;
      else if (e.key in named && !(e.key === 'Enter' && e.target.closest('button, a'))) key = named[e.key];
      else if (e.key === 'c') { e.preventDefault(); document.getElementById('chord').focus(); return; } else {
        key = this.$root.querySelector(`.neck-keys [data-key="${CSS.escape(e.key)}"]`)?.value;
      }
      if (!key) return;
      e.preventDefault();
      this.press(key);
    },

    chord() {
      const field = document.getElementById('chord');
      this.press(`chord:${field.value}`);
      field.value = '';
    },

    // press waits for the keys before it: their order is the tune.
    press(key) {
      this.queue = this.queue.then(async () => {
        const entry = document.getElementById('entry');
        try {
          const html = await Parts.html(`/drafts/${entry.dataset.draft}/key`, { body: new URLSearchParams({ key }), wanted: 'id="entry"' });
          const focused = document.activeElement?.value;
          const before = Number(entry.dataset.notes);
          Parts.merge(entry, html, (el) => el.matches('details') || (el === document.activeElement && el.matches('input')));
          if (focused && document.activeElement === document.body) this.$root.querySelector(`[value="${CSS.escape(focused)}"]`)?.focus();
          this.inSight();
          const { notes, tone } = document.getElementById('entry').dataset;
          if (Number(notes) > before) Sounds.hear(tone);
        } catch (err) {
          document.getElementById('said').textContent = `${err.message} This key was not saved.`;
        }
      });
    },
  }));
});
