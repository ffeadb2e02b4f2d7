/** The service worker: keeps the page and what it was told last, and gives them where the server cannot be reached. */
import { answerFile, answerPage, answerState, FILES, kindOf, STATES } from "./answers";

interface Lasting extends Event {
  waitUntil: (done: Promise<unknown>) => void;
}
interface Installing extends Lasting {
  addRoutes?: (routes: object[]) => Promise<void>;
}
interface Asking extends Lasting {
  request: Request;
  respondWith: (answer: Promise<Response>) => void;
}
declare const self: {
  location: Location;
  clients: { claim: () => Promise<void> };
  addEventListener: <E extends Event>(name: string, listen: (event: E) => void) => void;
};

/** All files of the page, by the build. */
declare const BUILT: string[];
/** This version's files have a place of their own: a page that is open goes on with those that it began with. */
const FILES_OF_BUILD = `${FILES}-${BUILT.join()
  .split("")
  .reduce((sum, letter) => (Math.imul(sum, 31) + letter.charCodeAt(0)) | 0, 7)}`;

const ask = (request: Request): Promise<Response> => fetch(request);

/** What is never answered here need not even ask: sound has no time to lose. */
const SOUND_ROUTE = { condition: { urlPattern: "/api/sessions/*/segments/*" }, source: "network" };

self.addEventListener<Installing>("install", (event) => {
  void event.addRoutes?.([SOUND_ROUTE]);
  event.waitUntil(
    caches.open(FILES_OF_BUILD).then((files) => files.addAll(["/", ...BUILT.map((name) => `/${name}`)])),
  );
});

self.addEventListener<Lasting>("activate", (event) => {
  const others = async (): Promise<void> => {
    const names = await caches.keys();
    const old = names.filter((name) => name.startsWith(FILES) && name !== FILES_OF_BUILD);
    await Promise.all(old.map((name) => caches.delete(name)));
    await self.clients.claim();
  };
  event.waitUntil(others());
});

self.addEventListener<Asking>("fetch", (event) => {
  const { request } = event;
  const kind = kindOf(request, self.location.origin);
  if (kind === "file")
    event.respondWith(caches.open(FILES_OF_BUILD).then((files) => answerFile(request, files, ask)));
  if (kind === "page")
    event.respondWith(caches.open(FILES_OF_BUILD).then((files) => answerPage(request, files, ask)));
  if (kind === "state")
    event.respondWith(caches.open(STATES).then((states) => answerState(request, states, ask)));
});
