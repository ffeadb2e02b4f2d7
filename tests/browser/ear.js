// Taps whatever is connected to the loudspeakers. The audio thread itself keeps what sounded, frame by frame, and gives
// it when it is asked: nothing is lost while the page is busy.
(() => {
  const code = `const KEPT = 30 * 48000 / 128;
  registerProcessor("ear", class extends AudioWorkletProcessor {
    blocks = new Map();
    asked = [];
    constructor() {
      super();
      this.port.onmessage = ({ data }) => {
        this.asked.push({ ...data, from: data.from ?? currentFrame });
      };
    }
    process([input]) {
      const block = new Float32Array(256);
      input.slice(0, 2).forEach((channel, at) => block.set(channel, 128 * at));
      this.blocks.set(currentFrame, block);
      this.blocks.delete(currentFrame - 128 * KEPT);
      this.asked = this.asked.filter((one) => !this.answer(one, block));
      return true;
    }
    answer({ id, from, count, sound }, latest) {
      if (sound) {
        if (!latest.some((value) => value)) return false;
        this.port.postMessage({ id, from: currentFrame });
        return true;
      }
      if (currentFrame + 128 < from + 128 * count) return false;
      const found = new Float32Array(256 * count);
      for (let at = 0; at < count; at += 1) {
        const block = this.blocks.get(from + 128 * at);
        if (!block) { this.port.postMessage({ id, error: "frame " + (from + 128 * at) + " is kept no longer" }); return true; }
        found.set(block.subarray(0, 128), 128 * at);
        found.set(block.subarray(128), 128 * (count + at));
      }
      this.port.postMessage({ id, from, found }, [found.buffer]);
      return true;
    }
  });`;
  const connect = AudioNode.prototype.connect;
  const waiting = new Map();
  let tapped;
  let ear = new Promise((resolve) => (tapped = resolve));
  AudioNode.prototype.connect = function (target, ...rest) {
    if (target instanceof AudioDestinationNode && !this.isEar) {
      const context = this.context;
      context.audioWorklet
        .addModule(URL.createObjectURL(new Blob([code], { type: "text/javascript" })))
        .then(() => {
          const node = new AudioWorkletNode(context, "ear", { channelCount: 2, channelCountMode: "explicit" });
          node.isEar = true;
          node.port.onmessage = ({ data }) => {
            const { resolve, reject } = waiting.get(data.id);
            waiting.delete(data.id);
            if (data.error) reject(new Error(data.error));
            else resolve(data);
          };
          connect.call(this, node);
          connect.call(node, context.destination);
          tapped(node);
          ear = Promise.resolve(node);
        });
    }
    return connect.call(this, target, ...rest);
  };
  let count = 0;
  const ask = async (what) => {
    const node = await ear;
    const id = (count += 1);
    return new Promise((resolve, reject) => {
      waiting.set(id, { resolve, reject });
      setTimeout(() => reject(new Error("the sound does not go on")), 120_000);
      node.port.postMessage({ id, ...what });
    });
  };
  // Resolves with the frame at which something sounds, from now on.
  window.somethingSounds = async () => (await ask({ sound: true })).from;
  // So many blocks of 128 frames from a frame on, or from now on: the first frame, and both sides as text.
  window.listen = async (blocks, from = null) => {
    const answer = await ask({ count: blocks, from });
    const bytes = new Uint8Array(answer.found.buffer);
    let text = "";
    for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
    return [answer.from, btoa(text)];
  };
})();
