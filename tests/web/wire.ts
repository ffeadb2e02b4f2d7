/** The live channel without a server: what a page says is remembered, what it is told is put in by hand. */
export class Wire {
  static readonly OPEN = 1;
  /** The one that was opened last. */
  static latest: Wire;
  readyState = 1;
  onopen?: () => void;
  onclose?: (event: { code: number }) => void;
  onmessage?: (event: { data: string }) => void;
  said: Record<string, unknown>[] = [];

  constructor(readonly address: string) {
    Wire.latest = this;
    queueMicrotask(() => this.onopen?.());
  }
  send(text: string): void {
    this.said.push(JSON.parse(text) as Record<string, unknown>);
  }
  close(): void {
    this.onclose?.({ code: 1000 });
  }
}
