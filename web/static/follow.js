// Being heard: what the microphone hears goes to the server over a WebSocket in pieces of some 40 ms; back come answers. A connection that breaks is made again.
class Listening {
  // address is a function of where to connect to, without the rate. on has answer(a), trouble(words) for what is wrong, and may have opened(), well() for when that is mended, and own if what we play is sent too.
  constructor(address, context, on) {
    Object.assign(this, { address, rate: Math.round(context.sampleRate), on, tries: 0, over: false, filled: 0 });
    this.piece = new Int16Array(2 * Math.round(this.rate * 0.02 * (on.own ? 2 : 1)));
    this.connect();
  }

  connect() {
    const { protocol, host } = window.location;
    this.socket = new WebSocket(`${protocol === 'https:' ? 'wss' : 'ws'}://${host}${this.address()}&rate=${this.rate}`);
    this.socket.binaryType = 'arraybuffer';
    this.socket.addEventListener('open', () => this.on.opened?.());
    this.socket.addEventListener('message', (e) => this.answered(JSON.parse(e.data)));
    this.socket.addEventListener('close', (e) => this.broken(e));
  }

  answered(a) {
    if (this.over) return;
    if (this.tries) this.on.well?.();
    this.tries = 0;
    this.on.answer(a);
  }

  // broken tries again, later each time; it says so to who listens in too many tabs.
  broken(e) {
    if (this.over) return;
    this.tries += 1;
    if (this.tries > 1 || !e.wasClean) this.on.trouble('The connection to Stepping broke. It is trying again and will continue where it was.');
    if (this.tries === 4) this.on.trouble('Stepping cannot hear you at the moment. Is it running, and is another tab listening? It keeps trying; turn the pages by hand meanwhile.');
    this.again = setTimeout(() => this.connect(), Math.min(8000, 250 * 2 ** this.tries));
  }

  // ask sends a question; one that cannot be sent now is asked by opened().
  ask(question) { if (this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(question)); }

  // hear takes samples of -1 to 1, and if our own sound is sent too what we played meanwhile.
  hear(block, own) {
    block.forEach((v, i) => {
      this.put(v);
      if (this.on.own) this.put(own?.[i] ?? 0);
    });
  }

  put(v) {
    this.piece[this.filled] = Math.round(32767 * Math.min(1, Math.max(-1, v)));
    this.filled += 1;
    if (this.filled < this.piece.length) return;
    this.filled = 0;
    if (this.socket.readyState === WebSocket.OPEN && this.socket.bufferedAmount < 1 << 18) this.socket.send(this.piece.buffer.slice(0)); // what cannot be sent in time is of no use
  }

  close() {
    this.over = true;
    clearTimeout(this.again);
    this.socket.close();
  }
}

// Being followed: a connection goes on where the player was when the last one broke.
class Follower extends Listening {
  // on has position(p) for where the player is, instead of answer.
  constructor(id, context, on, { from = 0, tempo = 0 } = {}) {
    const at = { from, tempo };
    super(() => `/tunes/${id}/follow?from=${at.from}&tempo=${at.tempo}${on.own ? '&own=1' : ''}`, context, { ...on,
      answer: (p) => {
        if (p.m > 0) at.from = p.m;
        if (p.tempo) at.tempo = p.tempo;
        on.position(p);
      } });
  }
}
