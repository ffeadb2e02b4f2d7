/** The live channel: a WebSocket that comes back by itself and asks for what it missed. */
import type { Schemas } from "@/api/http";

/** Somebody in the session: who they are, where they are and how they listen. */
export type Person = Schemas["Participant"];
/** A colleague's change of the same that a change went over. */
export type Overwritten = Schemas["OverOut"];
export type Revision = Schemas["RevisionOut"];
export type Incoming = Schemas["ServerEvent"];
export type Outgoing = Schemas["ClientMessage"];

const FIRST_WAIT = 250;
const LONGEST_WAIT = 5000;
const PING_EVERY = 10_000;
const NO_SUCH_SESSION = 4404;
const SIGNED_OUT = 4401;

export interface ChannelEvents {
  /** The revision that is known here, asked at every new connection. */
  revision: () => number;
  message: (message: Incoming) => void;
  state: (connected: boolean) => void;
  closedForGood: (signedOut: boolean) => void;
}

export class LiveChannel {
  private socket: WebSocket | undefined;
  private wait = FIRST_WAIT;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private ping: ReturnType<typeof setInterval> | undefined;
  private heard = true;
  private over = false;

  constructor(
    private readonly session: string,
    private readonly events: ChannelEvents,
  ) {
    this.open();
    window.addEventListener("online", this.hurry);
  }

  send(message: Outgoing): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }

  close(): void {
    this.over = true;
    clearTimeout(this.timer);
    clearInterval(this.ping);
    window.removeEventListener("online", this.hurry);
    // What becomes of it from here on is nobody's matter: another session may be open by then.
    const socket = this.socket;
    this.socket = undefined;
    socket?.close();
  }

  private readonly hurry = (): void => {
    if (this.socket?.readyState === WebSocket.OPEN || this.over) return;
    clearTimeout(this.timer);
    this.open();
  };

  private open(): void {
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const address = `${scheme}://${location.host}/live/${this.session}?since=${this.events.revision()}`;
    const socket = new WebSocket(address);
    this.socket = socket;
    socket.onopen = () => {
      this.wait = FIRST_WAIT;
      this.heard = true;
      this.events.state(true);
      clearInterval(this.ping);
      this.ping = setInterval(() => this.check(socket), PING_EVERY);
    };
    socket.onmessage = (event) => {
      this.heard = true;
      this.events.message(JSON.parse(event.data as string) as Incoming);
    };
    socket.onclose = (event) => {
      if (this.socket !== socket) return;
      clearInterval(this.ping);
      this.events.state(false);
      if (event.code === NO_SUCH_SESSION || event.code === SIGNED_OUT) {
        this.over = true;
        this.events.closedForGood(event.code === SIGNED_OUT);
      }
      if (this.over) return;
      this.timer = setTimeout(() => this.open(), this.wait);
      this.wait = Math.min(this.wait * 2, LONGEST_WAIT);
    };
  }

  /** A connection that answers no ping is as good as gone. */
  private check(socket: WebSocket): void {
    if (!this.heard) {
      socket.close();
      return;
    }
    this.heard = false;
    this.send({ type: "ping" });
  }
}
