/**
 * The browser's way to the loudspeakers: started by a gesture, begun anew where it failed, and told in words where the
 * browser, the device or the address stand in its way.
 */
import { useEventListener } from "@vueuse/core";
import { t } from "@/words";
import { OutputGraph } from "./outputGraph";
import { type Row, useOutputs } from "./outputs";
import type { FromWorklet, ToWorklet } from "./worklet";
import workletUrl from "./worklet?worker&url";

/** Why there is no sound: a sentence that says what to do. */
export class NoSound extends Error {}

interface Playing {
  rate: () => number;
  /** How many channels the audio thread has. */
  width: () => number;
  segmentFrames: () => number;
  total: () => number;
  rows: () => Row[];
  /** The gain of a level (dB), by the core's table. */
  gainOf: (level: number) => number;
  hear: (report: FromWorklet) => void;
  /** Sound has stopped by itself. */
  stopped: (why: string) => void;
}

export function useSoundDevice(playing: Playing) {
  const outputs = useOutputs();
  let context: AudioContext | undefined;
  let node: AudioWorkletNode | undefined;
  let graph: OutputGraph | undefined;
  let starting: Promise<void> | undefined;
  /** Whether it runs because it was told to. */
  let running = false;

  function make(): AudioContext {
    // Neither the audio thread nor the choice of outputs is there at an insecure address.
    if (globalThis.isSecureContext === false)
      throw new NoSound(t("sound.insecure", { address: location.origin }));
    try {
      return new AudioContext({ sampleRate: playing.rate(), latencyHint: "interactive" });
    } catch (error) {
      throw new NoSound(
        (error as Error).name === "NotSupportedError"
          ? t("sound.rate", { rate: playing.rate() / 1000 })
          : t("sound.notHere"),
      );
    }
  }

  async function start(): Promise<void> {
    const fresh = make();
    try {
      await fresh.audioWorklet.addModule(workletUrl);
    } catch {
      // Nothing of it is kept: the next press begins anew.
      void fresh.close();
      throw new NoSound(t("sound.notLoaded"));
    }
    context = fresh;
    node = new AudioWorkletNode(fresh, "needle-player", {
      numberOfInputs: 0,
      outputChannelCount: [playing.width()],
      processorOptions: { segmentFrames: playing.segmentFrames(), total: playing.total() },
    });
    node.port.onmessage = (event: MessageEvent<FromWorklet>) => playing.hear(event.data);
    node.onprocessorerror = () => lose(t("sound.broken"));
    await choose();
    graph = new OutputGraph(fresh, node, playing.width(), playing.gainOf);
    outputs.count = graph.count;
    apply();
    fresh.addEventListener("statechange", () => {
      if (running && context === fresh && fresh.state !== "running") lose(t("sound.taken"));
    });
  }

  /** It cannot go on: whoever presses play again begins anew. */
  function lose(why: string): void {
    running = false;
    playing.stopped(why);
  }

  /** Be ready to sound; whether it has only just begun. */
  async function wake(): Promise<boolean> {
    const isFresh = !context || context.state === "closed";
    if (isFresh)
      try {
        // Whoever presses again meanwhile waits for the same.
        await (starting ??= start().finally(() => (starting = undefined)));
      } catch (error) {
        close();
        throw error;
      }
    if (!(await begun())) throw new NoSound(t("sound.gesture"));
    running = true;
    return isFresh;
  }

  /** Whether the browser lets it begin: it may wait for a gesture for ever. */
  async function begun(): Promise<boolean> {
    if (!context) return false;
    if (globalThis.navigator?.userActivation?.hasBeenActive === false && context.state !== "running") {
      void context.resume();
      await new Promise((resolve) => setTimeout(resolve, 0));
      return isRunning(context);
    }
    await context.resume();
    return isRunning(context);
  }

  /** Play through the chosen device. */
  async function choose(): Promise<void> {
    outputs.trouble = "";
    if (!context || !outputs.canChoose) return;
    const device = context as AudioContext & { sinkId: unknown; setSinkId: (id: string) => Promise<void> };
    // Even choosing what is chosen stops the sound for a moment.
    if (device.sinkId === outputs.device) return;
    try {
      await device.setSinkId(outputs.device);
    } catch {
      outputs.trouble = t("sound.deviceGone");
      await device.setSinkId("").catch(() => undefined);
    }
    if (graph) outputs.count = graph.count;
  }

  const apply = (): void => graph?.apply(playing.rows(), outputs.dimmed);

  // A device that is unplugged, or comes back.
  if (typeof navigator !== "undefined" && navigator.mediaDevices)
    useEventListener(
      navigator.mediaDevices,
      "devicechange",
      () => void outputs.look().then(choose).then(apply),
    );

  async function burst(channel: number, file: ArrayBuffer): Promise<void> {
    await wake();
    if (!context || !graph) return;
    await graph.burst(channel, await context.decodeAudioData(file), playing.rows());
  }

  function close(): void {
    running = false;
    graph?.close();
    void context?.close();
    context = node = graph = undefined;
  }

  return {
    wake,
    close,
    choose,
    apply,
    burst,
    rest: () => (running = false),
    send: (wish: ToWorklet, owned: ArrayBufferLike[] = []): void =>
      node?.port.postMessage(wish, owned as Transferable[]),
    isThere: (): boolean => !!node,
    now: (): number => context?.currentTime ?? 0,
    /** How much later (s) than the audio thread gives it out it is heard. */
    late: (): number => context?.outputLatency || context?.baseLatency || 0,
  };
}

const isRunning = (context: AudioContext): boolean => context.state === "running";
