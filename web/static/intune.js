// The trainer for the slide: the microphone goes to the server in pieces of some 40 ms; back comes where the slide lies, and at the end of each note how it was stopped.
document.addEventListener('alpine:init', () => {
  const reach = 25; // mm to either side of the wire that are shown
  const half = 480; // units of the picture for them
  const reads = 1800; // ms for which a verdict is read before the next note
  const rings = 150; // ms after our own tone for which nothing is sent

  Alpine.data('intune', () => ({
    microphone: null,
    listening: null,
    at: 0,
    deafUntil: 0,

    init() {
      const data = document.getElementById('intune-data');
      if (!data) return;
      Object.assign(this, JSON.parse(data.textContent));
      this.$root.querySelector('[data-listen]').addEventListener('click', () => this.press());
      this.$root.querySelector('[data-tone]').addEventListener('click', () => this.sound());
      this.$root.querySelector('[data-step]').addEventListener('click', () => this.go(this.at + 1));
      if (!navigator.mediaDevices?.getUserMedia) {
        this.$root.querySelector('[data-listen]').disabled = true;
        this.say('This browser does not give this page a microphone. Listen to each note and match it by ear.');
      }
      window.addEventListener('keydown', (e) => this.key(e));
      document.addEventListener('visibilitychange', () => { if (document.hidden) this.stop(); });
      this.draw();
    },

    key(e) {
      if (e.ctrlKey || e.metaKey || e.altKey || e.repeat || e.target.closest?.('input, textarea, select, a, button, summary')) return;
      if (e.key === ' ' || e.key === 'PageDown') this.press();
      else if (e.key === 'ArrowRight') this.go(this.at + 1);
      else if (e.key === 'ArrowLeft' || e.key === 'PageUp') this.go(this.at - 1);
      else return;
      e.preventDefault();
    },

    part(name) { return this.$root.querySelector(`[data-${name}]`); },
    say(words, told = []) {
      this.part('words').textContent = words;
      this.part('told').replaceChildren(...told.map((t) => Object.assign(document.createElement('li'), { textContent: t })));
    },

    press() { if (this.microphone) this.stop(); else this.begin(); },

    async begin() {
      if (this.opening) return;
      this.opening = true;
      this.say('The browser may ask whether this page may use the microphone.');
      try {
        this.microphone = await Microphone.open((block) => this.hear(block));
      } catch (err) {
        this.say(Microphone.why(err, 'Listen to each note and match it by ear.'));
        return;
      } finally {
        this.opening = false;
      }
      this.listening = new Listening(() => this.listen, this.microphone.context, {
        opened: () => this.listening.ask({ at: this.at }),
        answer: (a) => this.show(a),
        trouble: (words) => this.say(words),
      });
      this.microphone.begin();
      this.button(true);
      this.ready();
    },

    stop() {
      clearTimeout(this.next);
      this.listening?.close();
      this.microphone?.close();
      this.listening = null;
      this.microphone = null;
      this.button(false);
      this.slide(null);
    },

    button(on) {
      const button = this.part('listen');
      button.classList.toggle('is-on', on);
      button.firstChild.textContent = on ? 'Stop ' : 'Listen ';
    },

    // ready asks for the note: it sounds first, unless that is not wanted.
    ready() {
      this.listening?.ask({ at: this.at });
      this.say(this.tasks[this.at].from ? `Your turn: ${this.tasks[this.at].from}.` : 'Your turn.');
      if (this.part('first').checked) this.sound();
    },

    // sound plays the note fretted; what the microphone hears of that is not the player.
    sound() {
      this.deafUntil = Infinity;
      Sounds.hear(this.tasks[this.at].tone);
      const { once } = Sounds;
      const over = () => { if (Sounds.once === once) this.deafUntil = performance.now() + rings; };
      ['ended', 'error', 'pause'].forEach((e) => once.addEventListener(e, over));
      setTimeout(() => { if (Sounds.once === once) once.pause(); }, 1400);
    },

    hear(block) {
      const meter = this.$root.querySelector('meter');
      meter.value = Math.max(block.reduce((most, v) => Math.max(most, Math.abs(v)), 0), meter.value * 0.9);
      if (performance.now() >= this.deafUntil) this.listening?.hear(block);
    },

    show(a) {
      if (a.at !== this.at || !this.microphone) return; // of a note that is over
      this.slide(a.heard ? a : null);
      if (!a.done) return;
      this.say(a.done.head, a.done.lost ? [...a.done.told, 'This note could not be saved.'] : a.done.told);
      this.$root.classList.toggle('is-good', a.done.good);
      clearTimeout(this.next);
      this.next = setTimeout(() => this.go(this.at + 1), reads);
    },

    // slide draws where the slide lies; nothing where nothing is heard.
    slide(a) {
      const g = this.$root.querySelector('[data-slide]');
      g.toggleAttribute('hidden', !a);
      this.$root.classList.toggle('is-right', !!a && Math.abs(a.cents) <= 5);
      if (!a) return; // the figures of the last note can still be read
      g.setAttribute('transform', `translate(${half + (half * Math.max(-reach, Math.min(reach, a.mm))) / reach} 0)`);
      this.part('cents').textContent = `${a.cents > 0 ? '+' : a.cents < 0 ? '−' : ''}${Math.round(Math.abs(a.cents))}¢`;
      this.part('mm').textContent = Math.abs(a.cents) <= 5 ? 'over the wire' : `${Math.abs(a.mm).toFixed(1)} mm ${a.mm < 0 ? 'short' : 'past'}`;
    },

    go(to) {
      clearTimeout(this.next);
      if (to >= this.tasks.length) { this.over(); return; }
      this.at = Math.max(0, to);
      this.$root.classList.remove('is-good');
      this.draw();
      if (this.microphone) this.ready();
    },

    // over ends an exercise: the page with another one shows what is known now.
    over() {
      this.stop();
      this.say('That was the last note. The next page shows your updated neck.');
      location.assign(this.again);
    },

    draw() {
      const t = this.tasks[this.at];
      ['string', 'fret', 'note', 'from'].forEach((name) => { this.part(name).textContent = t[name]; });
      this.part('count').textContent = `note ${this.at + 1} of ${this.tasks.length}`;
      [['behind', t.behind], ['ahead', t.ahead]].forEach(([name, mm]) => {
        const x = half + (half * mm) / reach;
        const wire = this.$root.querySelector(`[data-wire="${name}"]`);
        wire.setAttribute('x1', x);
        wire.setAttribute('x2', x);
      });
      const near = (half * 5 * t.ahead) / 100 / reach; // 5 cents
      const right = this.part('right');
      right.setAttribute('x', half - near);
      right.setAttribute('width', 2 * near);
      this.part('cents').textContent = '';
      this.part('mm').textContent = '';
    },
  }));
});
