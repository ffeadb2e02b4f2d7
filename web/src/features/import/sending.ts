/** Sending a file: part by part, gone on with after a lost connection, followed while it is read. */
import { sentence, sentences, type Message } from "@/words";
import { must } from "@/domain/must";
import { get, post, postBytes, Refusal, type Schemas } from "@/api/http";
import { persist } from "@/api/persist";

/** What the server says of a file on its way, whatever is to become of it. */
export interface OnItsWay {
  id: string;
  received: number;
  status: string;
  progress: number;
  messages: Message[];
  notice?: Message | null;
  part_bytes: number;
}

export interface Sent<Answer extends OnItsWay = Schemas["UploadOut"]> {
  /** Where files are taken: by a session, with which they stay, or to become one. */
  base: string;
  file: File;
  /** From "waiting" on it follows the server's own words. */
  status: string;
  share: number;
  trouble: string;
  /** What its sender should know, though it is taken. */
  notice: string;
  upload: Answer | null;
}

const LOOK_EVERY = 200;

/** What is said of a file before it is sent. */
export interface Announced {
  name: string;
  size: number;
}

/** Send a file and follow it until it is read; `announce` says what it is for where that is not told by its base. */
export async function sendFile<Answer extends OnItsWay>(
  one: Sent<Answer>,
  announce = (file: Announced): Promise<Answer> => post<Answer>(one.base, file),
): Promise<void> {
  const { name, size } = one.file;
  one.upload ??= await patiently(one, () => announce({ name, size }));
  if (one.upload.notice) one.notice = sentence(one.upload.notice);
  await sendParts(one);
  await follow(one);
}

/** Ask again for as long as the server cannot be reached; the file says so meanwhile. */
async function patiently<T>(one: Sent<OnItsWay>, ask: () => Promise<T>): Promise<T> {
  const answer = await persist(
    ask,
    () => !cancelled(one),
    () => (one.status = "away"),
  );
  if (one.status === "away") one.status = "receiving";
  return answer;
}

const cancelled = (one: Sent<OnItsWay>): boolean => one.status === "cancelled";

async function sendParts<Answer extends OnItsWay>(one: Sent<Answer>): Promise<void> {
  while (must(one.upload).received < one.file.size && must(one.upload).status === "receiving") {
    if (cancelled(one)) throw new Error("Stopped.");
    const at = must(one.upload).received;
    const part = one.file.slice(at, at + must(one.upload).part_bytes);
    const path = `${one.base}/${must(one.upload).id}`;
    try {
      one.upload = await patiently(one, () => postBytes<Answer>(`${path}/parts?offset=${at}`, part));
    } catch (error) {
      // The part had arrived and only its answer was lost: go on from where the server is.
      if (!(error instanceof Refusal) || error.status !== 409) throw error;
      const there = await patiently(one, () => get<Answer>(path));
      if (there.received === at && there.status === "receiving") throw error;
      one.upload = there;
    }
    one.share = one.upload.received / one.file.size;
  }
}

async function follow<Answer extends OnItsWay>(one: Sent<Answer>): Promise<void> {
  for (;;) {
    const found = await patiently(one, () => get<Answer>(`${one.base}/${must(one.upload).id}`));
    if (cancelled(one)) return;
    one.upload = found;
    one.status = found.status;
    one.share = found.progress;
    one.trouble = sentences(found.messages);
    if (found.status !== "reading") return;
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY));
  }
}
