// The worklet that hands on what the microphone hears, block by block.
registerProcessor('recorder', class extends AudioWorkletProcessor {
  process(inputs) {
    const [channel] = inputs[0];
    if (channel) this.port.postMessage(channel.slice());
    return true;
  }
});
