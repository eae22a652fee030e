// Being followed: what the microphone hears goes to the server over a WebSocket in pieces of some 40 ms; back comes where in the plan the player is. A connection that breaks is made again, and goes on
// where it was.
class Follower {
  // on has position(p) for where the player is, trouble(words) for what is wrong, and well() when it is mended.
  constructor(id, context, on, { from = 0, tempo = 0 } = {}) {
    Object.assign(this, { id, rate: Math.round(context.sampleRate), on, from, tempo, tries: 0, over: false, filled: 0 });
    this.piece = new Int16Array(Math.round(this.rate * 0.04));
    this.connect();
  }

  connect() {
    const { protocol, host } = window.location;
    this.socket = new WebSocket(`${protocol === 'https:' ? 'wss' : 'ws'}://${host}/tunes/${this.id}/follow?rate=${this.rate}&from=${this.from}&tempo=${this.tempo}`);
    this.socket.binaryType = 'arraybuffer';
    this.socket.addEventListener('message', (e) => this.answer(JSON.parse(e.data)));
    this.socket.addEventListener('close', (e) => this.broken(e));
  }

  answer(p) {
    if (this.over) return;
    if (this.tries) this.on.well?.();
    this.tries = 0;
    if (p.m > 0) this.from = p.m;
    if (p.tempo) this.tempo = p.tempo;
    this.on.position(p);
  }

  // broken tries again, later each time; it says so to who listens in too many tabs.
  broken(e) {
    if (this.over) return;
    this.tries += 1;
    if (this.tries > 1 || !e.wasClean) this.on.trouble('The connection to Stepping broke: it tries again, and goes on where it was.');
    if (this.tries === 4) this.on.trouble('Stepping cannot hear you just now. Is it running, and does another tab listen already? It tries again; turn the pages by hand meanwhile.');
    this.again = setTimeout(() => this.connect(), Math.min(8000, 250 * 2 ** this.tries));
  }

  // hear takes samples of -1 to 1.
  hear(block) {
    block.forEach((v) => {
      this.piece[this.filled] = Math.round(32767 * Math.min(1, Math.max(-1, v)));
      this.filled += 1;
      if (this.filled < this.piece.length) return;
      this.filled = 0;
      if (this.socket.readyState === WebSocket.OPEN && this.socket.bufferedAmount < 1 << 18) this.socket.send(this.piece.buffer.slice(0)); // what cannot be sent in time is of no use
    });
  }

  close() {
    this.over = true;
    clearTimeout(this.again);
    this.socket.close();
  }
}
