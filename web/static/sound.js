// Sounds: everything that is heard goes through here, so that one volume holds for all. It is kept in this browser.
const Sounds = {
  live: new Set(),

  volume() {
    const v = Number(localStorage.getItem('volume') ?? 0.7);
    return v >= 0 && v <= 1 ? v : 0.7;
  },

  set(v) {
    localStorage.setItem('volume', String(v));
    this.live.forEach((audio) => { audio.volume = v; });
    document.querySelectorAll('audio').forEach((audio) => { audio.volume = v; });
  },

  // open makes a sound that is ready to be played.
  open(src) {
    const audio = new Audio(src);
    audio.volume = this.volume();
    this.live.add(audio);
    ['ended', 'error', 'pause'].forEach((over) => audio.addEventListener(over, () => this.live.delete(audio)));
    audio.addEventListener('play', () => this.live.add(audio));
    return audio;
  },

  // follow plays a sound and tells frame by frame how far it has come, in seconds, until it is over or still says that it is not wanted any more.
  follow(audio, still, at, over) {
    const end = (words) => { if (still()) over(words); };
    audio.addEventListener('ended', () => end(''));
    audio.addEventListener('error', () => end('The sound could not be played.'));
    audio.play().catch(() => end('The sound could not be played.'));
    const look = () => {
      if (!still()) return;
      if (audio.currentTime > 0) at(audio.currentTime);
      requestAnimationFrame(look);
    };
    requestAnimationFrame(look);
  },

  // last is the index of the last of times in order that is not after now.
  last(times, now) {
    let lo = 0;
    let hi = times.length - 1;
    while (lo < hi) {
      const mid = Math.ceil((lo + hi) / 2);
      if (times[mid] <= now) lo = mid; else hi = mid - 1;
    }
    return lo;
  },

  pace: { slower: 1 / 1.06, faster: 1.06 }, // the ladder's step

  // paced is a tempo in quarter notes a minute one step slower or faster, within the bounds of a plan.
  paced(tempo, what, { slowest, fastest }) { return Math.min(Math.max(Math.round(tempo * this.pace[what]), slowest), fastest); },

  once: null, // a short sound that plays by itself

  // hear plays a short sound in place of the one before; what is heard is shown all the same by a browser without sound.
  hear(src) {
    this.once?.pause();
    this.once = this.open(src);
    this.once.play().catch(() => {});
  },

  // toggle plays what a button names, and stops it; the button says which.
  toggle(button) {
    const on = button.getAttribute('aria-pressed') === 'true';
    this.once?.pause();
    document.querySelectorAll('[data-loop]').forEach((b) => b.setAttribute('aria-pressed', 'false'));
    if (on) return;
    this.hear(button.dataset.loop);
    const { once } = this;
    button.setAttribute('aria-pressed', 'true');
    ['ended', 'error', 'pause'].forEach((over) => once.addEventListener(over, () => button.setAttribute('aria-pressed', 'false')));
  },
};

// Microphone is the microphone as it is, without what calls do to voices, its samples handed on block by block.
const Microphone = {
  async open(hear) {
    const stream = await navigator.mediaDevices.getUserMedia({ audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false, channelCount: 1 } });
    const context = new AudioContext();
    const close = () => { stream.getTracks().forEach((t) => t.stop()); context.close(); };
    try {
      await context.audioWorklet.addModule('/static/recorder.js');
    } catch (err) {
      close();
      throw err;
    }
    let tap = null;
    const begin = () => {
      tap = new AudioWorkletNode(context, 'recorder', { numberOfInputs: 2, numberOfOutputs: 0 });
      tap.port.onmessage = (e) => hear(...e.data);
      context.createMediaStreamSource(stream).connect(tap);
    };
    // own hands on what a sound of ours plays, with what is heard meanwhile.
    const own = (audio) => {
      const source = context.createMediaElementSource(audio);
      source.connect(context.destination);
      source.connect(tap, 0, 1);
    };
    return { context, begin, close, own };
  },

  // file packs samples as a WAV file of 16 bits, one channel.
  file(blocks, rate) {
    const count = blocks.reduce((n, b) => n + b.length, 0);
    const view = new DataView(new ArrayBuffer(44 + 2 * count));
    const text = (at, s) => [...s].forEach((c, i) => view.setUint8(at + i, c.charCodeAt(0)));
    text(0, 'RIFF');
    view.setUint32(4, 36 + 2 * count, true);
    text(8, 'WAVEfmt ');
    [[16, 16], [24, rate], [28, 2 * rate], [40, 2 * count]].forEach(([at, v]) => view.setUint32(at, v, true));
    [[20, 1], [22, 1], [32, 2], [34, 16]].forEach(([at, v]) => view.setUint16(at, v, true));
    text(36, 'data');
    let at = 44;
    blocks.forEach((b) => b.forEach((v) => { view.setInt16(at, Math.round(32767 * Math.min(1, Math.max(-1, v))), true); at += 2; }));
    return new File([view], 'recorded here.wav', { type: 'audio/wav' });
  },

  // why says why it could not be opened.
  why(err, otherwise) {
    const words = { NotAllowedError: 'The browser does not let this page use the microphone: allow it, then press again.', NotFoundError: 'There is no microphone: plug one in, then press again.' };
    return words[err.name] || `The microphone could not be opened. ${otherwise}`;
  },
};

document.addEventListener('DOMContentLoaded', () => {
  const slider = document.getElementById('volume');
  slider.value = Sounds.volume();
  slider.closest('.volume').hidden = false;
  slider.addEventListener('input', () => Sounds.set(Number(slider.value)));
  Sounds.set(Sounds.volume());
  document.addEventListener('click', (e) => {
    const hear = e.target.closest('[data-hear]');
    const loop = e.target.closest('[data-loop]');
    if (hear) Sounds.hear(hear.dataset.hear);
    if (loop) Sounds.toggle(loop);
  });
});
