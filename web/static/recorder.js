// The worklet that hands on what the microphone hears, block by block, and at the same time what the page plays.
registerProcessor('recorder', class extends AudioWorkletProcessor {
  process(inputs) {
    const [channel] = inputs[0];
    const [own] = inputs[1] ?? [];
    if (channel) this.port.postMessage([channel.slice(), own?.slice()]);
    return true;
  }
});
