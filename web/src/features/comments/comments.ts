/** Comments: read, made, answered and resolved by anybody here; what is unread is one's own. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import { t } from "@/words";
import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { useAttempt } from "@/api/attempt";
import { get, patch, post, remove, type Schemas } from "@/api/http";
import { useAccount } from "@/account/account";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";

type Comment = Schemas["CommentOut"];

/** What a new comment is pinned to. */
export interface Pin {
  source: string;
  beat: number | null;
  end: number | null;
}

export const useComments = defineStore("comments", () => {
  const session = useSession();
  const account = useAccount();
  const player = usePlayer();
  const selection = useSelection();
  const all = ref<Comment[]>([]);
  const { trouble, attempt } = useAttempt();
  /** The one that is looked at, and whether they are looked at at all. */
  const chosen = ref("");
  const shown = ref(false);
  /** What a new comment will be pinned to, while one is written. */
  const pin = ref<Pin | null>(null);
  const base = (): string => `/api/sessions/${session.id}/comments`;

  const unreadIn = (one: Comment): string[] =>
    [one, ...one.replies].filter((part) => !part.read).map((part) => part.id);
  const unread = computed(() => all.value.filter((one) => unreadIn(one).length > 0).length);
  /** In the order of the piece; what has no time comes first. */
  const inOrder = computed(() => [...all.value].sort((a, b) => (a.beat ?? -1) - (b.beat ?? -1)));
  const open = computed(() => inOrder.value.filter((one) => !one.resolved));
  const ofSource = (id: string): Comment[] => open.value.filter((one) => one.source === id);

  const look = (): Promise<boolean> =>
    attempt(async () => {
      const asked = session.id;
      const found = await get<Comment[]>(base());
      if (asked === session.id) all.value = found;
    });

  function put(comment: Comment): void {
    all.value = [...all.value.filter((one) => one.id !== comment.id), comment];
  }

  /** What comes in is told the same to everybody: what of it I have read I know myself. */
  function take(comment: Comment): void {
    const known = all.value.find((one) => one.id === comment.id);
    const read = new Set(
      [known, ...(known?.replies ?? [])].filter((one) => one?.read).map((one) => must(one).id),
    );
    const mine = <T extends Schemas["ReplyOut"]>(one: T): T => ({
      ...one,
      read: read.has(one.id) || one.author.id === account.me?.id,
    });
    put({ ...mine(comment), replies: comment.replies.map(mine) });
    if (shown.value && chosen.value === comment.id) seen(comment.id);
  }

  session.onHeard((told) => {
    if (told.type !== "comment") return;
    if (told.comment) take(told.comment);
    else all.value = all.value.filter((one) => one.id !== told.id);
  });

  const send = (path: string, body: object): Promise<boolean> =>
    attempt(async () => put(await post<Comment>(`${base()}${path}`, body)));

  async function make(text: string): Promise<boolean> {
    const sent = pin.value;
    const isMade = await send("", { text, ...(sent ?? { source: "" }) });
    // Who has begun the next one meanwhile keeps it.
    if (isMade && pin.value === sent) pin.value = null;
    return isMade;
  }
  const reply = (id: string, text: string): Promise<boolean> => send(`/${id}/replies`, { text });
  const change = (id: string, body: Schemas["CommentChange"]): Promise<boolean> =>
    attempt(async () => put(await patch<Comment>(`${base()}/${id}`, body)));
  const resolve = (id: string, resolved: boolean): Promise<boolean> => change(id, { resolved });
  const edit = (id: string, text: string): Promise<boolean> => change(id, { text });
  const discard = (id: string): Promise<boolean> => attempt(() => remove(`${base()}/${id}`));

  function seen(id: string): void {
    const one = all.value.find((other) => other.id === id);
    const ids = one ? unreadIn(one) : [];
    if (!one || !ids.length) return;
    put({ ...one, read: true, replies: one.replies.map((part) => ({ ...part, read: true })) });
    void attempt(() => post(`${base()}/read`, { ids }));
  }

  /** Look at one: it is read by that. */
  function choose(id: string): void {
    shown.value = true;
    chosen.value = id;
    seen(id);
  }

  /** Go to where it is pinned: the playhead, and its source. */
  function jump(one: Comment): void {
    choose(one.id);
    if (one.source && session.document?.sources[one.source]) selection.choose(one.source);
    if (one.beat !== null) player.seek(session.grid.secondsOfBeat(one.beat));
  }

  /** Begin one at the playhead or over a stretch (s). */
  function begin(span: { start: number; end: number } | null): void {
    shown.value = true;
    chosen.value = "";
    pin.value = {
      source: "",
      beat: session.grid.quarterAt(span ? span.start : player.playhead),
      end: span ? session.grid.quarterAt(span.end) : null,
    };
  }

  /** Where a comment is pinned, in words. */
  function where(pinned: Pin | Comment): string {
    const at = (beat: number): string => session.grid.text(session.grid.secondsOfBeat(beat));
    const source = session.document?.sources[pinned.source]?.name;
    const time =
      pinned.beat === null
        ? ""
        : pinned.end === null
          ? t("format.bars", { bars: at(pinned.beat) }, 1)
          : t("format.bars", { bars: `${at(pinned.beat)}–${at(pinned.end)}` }, 2);
    return (
      [source ?? (pinned.source && t("comments.aRemovedSource")), time].filter(Boolean).join(" · ") ||
      t("comments.theWholeSession")
    );
  }

  watch(
    [() => session.id, () => session.connected],
    ([id, connected], before) => {
      if (id !== before?.[0]) {
        all.value = [];
        chosen.value = "";
        shown.value = false;
        pin.value = null;
      }
      // What was said while the connection was down is looked up.
      if (id && connected) void look();
    },
    { immediate: true },
  );

  return {
    all, inOrder, open, unread, trouble, chosen, shown, pin, unreadIn, ofSource,
    look, make, reply, resolve, edit, discard, seen, choose, jump, begin, where,
  }; // prettier-ignore
});
