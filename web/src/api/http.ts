/** Requests to the server: typed by the schema, refused with the server's own sentence. */
import { sentence, t } from "@/words";
import type { Schemas } from "@/domain/model";

export type { Schemas };

/** A refusal: the sentence to show, its HTTP status, and what the server said besides. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly more: Record<string, unknown> = {},
    /** How long (ms) the server asks to wait before it is asked again. */
    readonly retryAfter = 0,
  ) {
    super(message);
  }
}

/** The server could not be reached; what was to be sent is still to be sent. */
export class Unreachable extends Error {
  constructor(message = t("http.theServerCannotBeReached")) {
    super(message);
  }
}

const csrf = (): string => /(?:^|; )(?:__Host-)?csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? "";

const isRaw = (body: unknown): body is Blob | FormData => body instanceof Blob || body instanceof FormData;

/** What the body is; a form says so itself, with the border between its parts. */
function kindOf(body: unknown): Record<string, string> {
  if (body === undefined || body instanceof FormData) return {};
  return { "Content-Type": body instanceof Blob ? "application/octet-stream" : "application/json" };
}

/** What the server says when it refuses something. */
interface Answer {
  detail: string;
  code?: string;
  parameters?: Record<string, unknown>;
}

const NOT_MODIFIED = 304;

async function send(
  method: string,
  path: string,
  body?: unknown,
  signal?: AbortSignal,
  headers: HeadersInit = {},
): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      signal,
      headers: {
        "X-CSRFToken": csrf(),
        ...kindOf(body),
        ...headers,
      },
      body: body === undefined || isRaw(body) ? body : JSON.stringify(body),
    });
  } catch (error) {
    if (signal?.aborted) throw error;
    throw new Unreachable();
  }
  if (response.ok || response.status === NOT_MODIFIED) return response;
  if (response.status >= 502) throw new Unreachable();
  let answer: Answer = { detail: t("http.theServerAnsweredStatus", { status: response.status }) };
  try {
    answer = (await response.json()) as Answer;
  } catch {
    /* the sentence above stands */
  }
  const { detail, code, parameters = {}, ...more } = answer;
  const told = code ? sentence({ code, parameters, text: detail }) : detail;
  const wait = Number(response.headers.get("Retry-After")) * 1000 || 0;
  throw new Refusal(told, response.status, more, wait);
}

const SIGNED_OUT = 401;
/** Signed out meanwhile; too slow; too much at once. */
const PASSING = [SIGNED_OUT, 408, 429];

/** Whether a refusal says nothing of what was asked: it may be asked again later. */
export const isPassing = ({ status }: Refusal): boolean => status >= 500 || PASSING.includes(status);
export const isSignedOut = ({ status }: Refusal): boolean => status === SIGNED_OUT;

export async function get<T>(path: string, signal?: AbortSignal): Promise<T> {
  return (await (await send("GET", path, undefined, signal)).json()) as T;
}

/** Send something; what is not answered within a time (ms) counts as not having arrived. */
export async function post<T>(path: string, body: unknown = {}, within = 0): Promise<T> {
  const late = within ? AbortSignal.timeout(within) : undefined;
  const response = await send("POST", path, body, late).catch((error: Error) => {
    throw error.name === "TimeoutError" ? new Unreachable() : error;
  });
  return (response.status === 204 ? undefined : await response.json()) as T;
}

/** Send bytes as they are; the answer as JSON. */
export async function postBytes<T>(path: string, bytes: Blob, signal?: AbortSignal): Promise<T> {
  return (await (await send("POST", path, bytes, signal)).json()) as T;
}

/** Send one file as a form does, with what else is to be told; the answer as JSON. */
export async function postFile<T>(path: string, file: File, fields: Record<string, string> = {}): Promise<T> {
  const form = new FormData();
  form.append("file", file);
  for (const [name, value] of Object.entries(fields)) form.append(name, value);
  return (await (await send("POST", path, form)).json()) as T;
}

export async function patch<T>(path: string, body: unknown): Promise<T> {
  return (await (await send("PATCH", path, body)).json()) as T;
}

export async function put<T>(path: string, body: unknown): Promise<T> {
  return (await (await send("PUT", path, body)).json()) as T;
}

/** Delete something; what is left, where the server says so. */
export async function remove<T = void>(path: string, body?: unknown): Promise<T> {
  const response = await send("DELETE", path, body);
  return (response.status === 204 ? undefined : await response.json()) as T;
}

/** The answer itself: what it says besides its body is wanted. */
export const getResponse = (path: string, signal?: AbortSignal, headers?: HeadersInit): Promise<Response> =>
  send("GET", path, undefined, signal, headers);
