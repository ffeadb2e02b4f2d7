/** Changes on their way to the server: sent one after the other, kept until they are answered. */
import { t } from "@/words";
import { DOCUMENT_VERSION } from "@/domain/declared";
import { uuid } from "@/domain/ids";
import type { Value } from "@/domain/model";
import { isPassing, isSignedOut, post, Refusal, Unreachable, type Schemas } from "@/api/http";
import { letterBox, type Kept, type LetterBox } from "./kept";

export type Operation = Schemas["OperationIn"]["operation"];

/** Called with the answer, or with the refusal and what the server said besides. */
type Settled = (answer: Schemas["Answer"] | null, refusal: string, more: Record<string, unknown>) => void;

/** How an undo is meant: leaving one's own change of a revision, or taking back only what is left of it. */
export type UndoHow = { before?: number; partly?: boolean };

interface Letter extends Kept {
  body: { client_id: string; base_revision?: number; format?: number; operation?: Operation };
  settled: Settled;
  /** Whether it had to wait for the connection. */
  waited: boolean;
  /** How often the server failed at it. */
  failures: number;
}

/** What an outbox tells, and what it asks. */
export interface Around {
  /** What waits, each change in a few words. */
  waiting?: (said: string[]) => void;
  /** What became of changes that had waited, once all of them are settled. */
  returned?: (outcomes: Outcome[]) => void;
  /** The server fails at a change again and again: it is kept, and may be discarded. */
  failing?: (said: string, discard: () => void) => void;
  /** Whether it is still its own person who is signed in here: nobody sends what another one made. */
  isSignedIn?: () => boolean;
}

/** What became of a change that had waited. */
export interface Outcome {
  said: string;
  answer: Schemas["Answer"] | null;
  refusal: string;
  again: () => void;
}

/** The version of documents whose names changes used before they said so themselves. */
const UNSAID_VERSION = 7;

/** A change that an earlier page has left, saying whose names it uses: the server brings it to today's. */
function inItsFormat({ path, body }: Kept): Letter["body"] {
  return path === "operations" ? { format: UNSAID_VERSION, ...body } : body;
}

/** A change that is not answered by then (ms) is sent again; its id keeps it from being made twice. */
const ANSWERED_WITHIN = 30_000;
const RETRY_AFTER = 1000;
const LONGEST_WAIT = 30_000;
/** What fails at the server itself so often is told: it keeps everything after it waiting. */
const MANY_FAILURES = 6;

/** Whether what went wrong may pass, so that the change is kept and sent again: all but a refusal does. */
const mayPass = (error: unknown): boolean =>
  error instanceof Unreachable || (error instanceof Refusal && isPassing(error));

export class Outbox {
  private readonly letters: Letter[] = [];
  private sending = false;
  private tries = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private order = Date.now();
  private readonly tab = uuid();
  private outcomes: Outcome[] = [];
  private readonly own = new Set<string>();
  /** Whether the browser keeps what waits when the tab is closed. */
  keeps = typeof indexedDB !== "undefined";
  /** Called when it is closed and sends no more. */
  private ended: (() => void) | null = null;

  constructor(
    private readonly session: string,
    private readonly person: number,
    private readonly around: Around = {},
    private readonly box: LetterBox = letterBox(),
    /** Until then it only collects: the session's last outbox may still be sending. */
    private readonly ready: Promise<void> = Promise.resolve(),
  ) {}

  /**
   * The session is left: what waits is sent as long as the line is up, and what cannot be is kept for when it is opened
   * again. Resolves when it sends no more; nothing is told any more.
   */
  close(): Promise<void> {
    clearTimeout(this.timer);
    return new Promise((ended) => {
      this.ended = () => void this.box.leave(this.tab).finally(ended);
      void this.work();
    });
  }

  /** Take over what earlier tabs have left, before what is made here; `shows` is given each of them. */
  async adopt(
    settled: (id: string) => Settled,
    shows: (id: string, values: Record<string, Value>) => void = () => undefined,
  ): Promise<void> {
    await this.ready;
    const letters = await this.box.adopt(this.session, this.person, this.tab).catch(() => []);
    if (!letters.length) return;
    const adopted = letters.map((letter) => ({
      ...letter,
      body: inItsFormat(letter),
      settled: settled(letter.body.client_id),
      waited: true,
      failures: 0,
    }));
    this.letters.splice(this.sending ? 1 : 0, 0, ...adopted);
    for (const { body, shown } of letters) if (shown) shows(body.client_id, shown);
    this.tell();
    void this.work();
  }

  /** Whether a change was sent from here, by its id. */
  sent(id: string): boolean {
    return this.own.has(id);
  }

  /** Send an operation; the id it was given. */
  submit(operation: Operation, madeOn: number, settled: Settled, shown: Record<string, Value> = {}): string {
    return this.put(
      "operations",
      { base_revision: madeOn, format: DOCUMENT_VERSION, operation },
      operation.kind.replaceAll("-", " "),
      settled,
      shown,
    );
  }

  undo(settled: Settled, how: UndoHow = {}): string {
    return this.put("undo", how, "undo", settled);
  }

  redo(settled: Settled): string {
    return this.put("redo", {}, "redo", settled);
  }

  /** Have the server put something as it was. */
  putBack(path: string, body: object, said: string, settled: Settled): string {
    return this.put(path, body, said, settled);
  }

  /** Try again at once, for example because the connection has come back. */
  hurry(): void {
    this.tries = 0;
    clearTimeout(this.timer);
    void this.work();
  }

  private put(
    path: string,
    body: object,
    said: string,
    settled: Settled,
    shown: Record<string, Value> = {},
  ): string {
    const id = uuid();
    this.own.add(id);
    const { session, person, tab } = this;
    const order = (this.order = Math.max(this.order + 1, Date.now()));
    const kept = { session, person, tab, order, path, body: { ...body, client_id: id }, said, shown };
    this.letters.push({ ...kept, settled, waited: false, failures: 0 });
    // What cannot be kept is sent all the same, and the tab had better stay open until then.
    void this.box.put(kept).catch(() => (this.keeps = false));
    this.tell();
    void this.work();
    return id;
  }

  private tell(): void {
    if (!this.ended) this.around.waiting?.(this.letters.map((one) => one.said));
  }

  private async work(): Promise<void> {
    if (this.sending) return;
    this.sending = true;
    try {
      await this.ready;
      for (let letter = this.letters[0]; letter; letter = this.letters[0]) {
        if (this.around.isSignedIn?.() === false) return this.pauseOrEnd(null);
        let answer: Schemas["Answer"] | null = null;
        let refusal = "";
        let more: Record<string, unknown> = {};
        try {
          const path = `/api/sessions/${this.session}/${letter.path}`;
          answer = await post<Schemas["Answer"]>(path, letter.body, ANSWERED_WITHIN);
        } catch (error) {
          if (mayPass(error) && this.letters.includes(letter)) {
            for (const waiting of this.letters) waiting.waited = true;
            this.tellOfFailures(letter, error);
            return this.pauseOrEnd(error);
          }
          refusal = error instanceof Refusal ? error.message : t("outbox.theChangeCouldNotBe");
          if (error instanceof Refusal) more = error.more;
        }
        this.tries = 0;
        this.settle(letter, answer, refusal, more);
      }
      this.ended?.();
    } finally {
      this.sending = false;
    }
  }

  /** Try again later; who has left the session does so when they open it again, if the browser keeps it until then. */
  private pauseOrEnd(error: unknown): void {
    const isOut = error === null || (error instanceof Refusal && isSignedOut(error));
    if (this.ended && (this.keeps || isOut)) return this.ended();
    // Whoever is signed out is not let in for asking again: `hurry` goes on once they have signed in.
    if (isOut) return;
    const asked = error instanceof Refusal ? error.retryAfter : 0;
    this.timer = setTimeout(() => void this.work(), Math.max(this.pause(), asked));
  }

  private tellOfFailures(letter: Letter, error: unknown): void {
    if (!(error instanceof Refusal) || error.status < 500) return;
    letter.failures += 1;
    if (letter.failures % MANY_FAILURES) return;
    this.around.failing?.(letter.said, () => {
      if (!this.letters.includes(letter)) return;
      this.settle(letter, null, error.message, {});
      this.hurry();
    });
  }

  /** How long to wait before the next try (ms): longer each time, and not all at the same moment. */
  private pause(): number {
    const longest = Math.min(RETRY_AFTER * 2 ** this.tries, LONGEST_WAIT);
    this.tries += 1;
    return longest * (0.5 + 0.5 * Math.random());
  }

  private settle(
    letter: Letter,
    answer: Schemas["Answer"] | null,
    refusal: string,
    more: Record<string, unknown>,
  ): void {
    this.letters.splice(this.letters.indexOf(letter), 1);
    void this.box.drop(letter).catch(() => undefined);
    letter.settled(answer, refusal, more);
    this.tell();
    if (letter.waited) {
      const { path, body, said, settled } = letter;
      const again = (): void => void this.put(path, body, said, settled);
      this.outcomes.push({ said: answer?.revision.summary ?? said, answer, refusal, again });
    }
    if (!this.letters.some((one) => one.waited) && this.outcomes.length) {
      if (!this.ended) this.around.returned?.(this.outcomes);
      this.outcomes = [];
    }
  }
}
