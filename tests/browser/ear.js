// Taps whatever is connected to the loudspeakers, with the frame at which it sounds.
(() => {
  const connect = AudioNode.prototype.connect;
  const code = `registerProcessor("ear", class extends AudioWorkletProcessor {
    process([input]) {
      if (input.length) this.port.postMessage({ frame: currentFrame, left: input[0].slice(),
        right: input[1].slice() });
      return true;
    }
  });`;
  window.heard = [];
  AudioNode.prototype.connect = function (target, ...rest) {
    if (target instanceof AudioDestinationNode && !this.isEar) {
      const context = this.context;
      context.audioWorklet
        .addModule(URL.createObjectURL(new Blob([code], { type: "text/javascript" })))
        .then(() => {
          const ear = new AudioWorkletNode(context, "ear", { channelCount: 2, channelCountMode: "explicit" });
          ear.isEar = true;
          ear.port.onmessage = (event) => window.heard.push(event.data);
          connect.call(this, ear);
          connect.call(ear, context.destination);
        });
    }
    return connect.call(this, target, ...rest);
  };
  const packed = (blocks) => {
    const bytes = new Uint8Array(new Float32Array(blocks.flatMap((block) => [...block])).buffer);
    let text = "";
    for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
    return btoa(text);
  };
  window.takeHeard = () => {
    const blocks = window.heard.splice(0);
    return [
      blocks.map((b) => b.frame),
      packed(blocks.map((b) => b.left)),
      packed(blocks.map((b) => b.right)),
    ];
  };
})();
