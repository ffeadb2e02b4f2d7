/** Changes on their way to the server: sent one after the other, kept until they are answered. */
import { post, Refusal, Unreachable, type Schemas } from "@/api/http";

export type Operation = Schemas["OperationIn"]["operation"];

interface Letter {
  path: string;
  body: { client_id: string; made_on?: number; operation?: Operation };
  /** Called with the answer, or with the refusal. */
  settled: (answer: Schemas["Answer"] | null, refusal: string) => void;
}

const RETRY_AFTER = 1000;

export class Outbox {
  private readonly letters: Letter[] = [];
  private sending = false;
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly session: string,
    private readonly waiting: (count: number) => void,
  ) {}

  /** Send an operation; the id it was given. */
  submit(operation: Operation, madeOn: number, settled: Letter["settled"]): string {
    return this.put("operations", { made_on: madeOn, operation }, settled);
  }

  undo(settled: Letter["settled"]): string {
    return this.put("undo", {}, settled);
  }

  redo(settled: Letter["settled"]): string {
    return this.put("redo", {}, settled);
  }

  /** Try again at once, for example because the connection has come back. */
  hurry(): void {
    clearTimeout(this.timer);
    void this.work();
  }

  private put(path: string, body: Omit<Letter["body"], "client_id">, settled: Letter["settled"]): string {
    const id = crypto.randomUUID();
    this.letters.push({ path, body: { client_id: id, ...body }, settled });
    this.waiting(this.letters.length);
    void this.work();
    return id;
  }

  private async work(): Promise<void> {
    if (this.sending) return;
    this.sending = true;
    try {
      for (let letter = this.letters[0]; letter; letter = this.letters[0]) {
        let answer: Schemas["Answer"] | null = null;
        let refusal = "";
        try {
          answer = await post<Schemas["Answer"]>(`/api/sessions/${this.session}/${letter.path}`, letter.body);
        } catch (error) {
          if (error instanceof Unreachable) {
            this.timer = setTimeout(() => void this.work(), RETRY_AFTER);
            return;
          }
          refusal = error instanceof Refusal ? error.message : "The change could not be sent.";
        }
        this.letters.shift();
        this.waiting(this.letters.length);
        letter.settled(answer, refusal);
      }
    } finally {
      this.sending = false;
    }
  }
}
