/** Who is signed in, and the demo's accounts where there is a demo. */
import { defineStore } from "pinia";
import { ref, watch } from "vue";
import { questions } from "@/api/asked";
import { forget } from "@/offline/state";
import { get, post, Refusal, type Schemas } from "@/api/http";
import { usePreferences } from "./preferences";

export const useAccount = defineStore("account", () => {
  const me = ref<Schemas["Me"] | null>(null);
  const demo = ref<Schemas["DemoAccount"][]>([]);
  /** Whether the account that was last tried asks for a code besides its password. */
  const codeWanted = ref(false);
  let arrival: Promise<void> | undefined;
  // What one person has been answered is not shown to the next.
  watch(
    () => me.value?.id,
    (_, before) => {
      if (before === undefined) return;
      questions.clear();
      void forget();
    },
    { flush: "sync" },
  );

  function arrive(): Promise<void> {
    arrival ??= get<Schemas["SignInOptions"]>("/api/sign-in/options").then((options) => {
      me.value = options.me;
      if (options.me) void usePreferences().arrive();
      demo.value = options.demo;
    });
    return arrival;
  }

  async function signIn(username: string, password: string, code: string): Promise<void> {
    try {
      me.value = await post<Schemas["Me"]>("/api/sign-in", { username, password, code });
      codeWanted.value = false;
    } catch (error) {
      codeWanted.value = error instanceof Refusal && Boolean(error.more.code_wanted);
      throw error;
    }
    void usePreferences().arrive();
  }

  async function signInToDemo(username: string): Promise<void> {
    me.value = await post<Schemas["Me"]>("/api/demo/sign-in", { username });
    void usePreferences().arrive();
  }

  async function signOut(): Promise<void> {
    await post("/api/sign-out");
    me.value = null;
    usePreferences().forget();
  }

  async function signOutEverywhere(): Promise<void> {
    await post("/api/sign-out-everywhere");
    me.value = null;
  }

  /** Make an account by an invitation, and come in by it. */
  async function make(
    username: string,
    name: string,
    password: string,
    secret: string,
  ): Promise<Schemas["Joined"]> {
    const entered = await post<Schemas["Joined"]>("/api/invitations/account", {
      username,
      name,
      password,
      secret,
    });
    me.value = (await get<Schemas["SignInOptions"]>("/api/sign-in/options")).me;
    void usePreferences().arrive();
    return entered;
  }

  return { me, demo, codeWanted, arrive, signIn, signInToDemo, signOut, signOutEverywhere, make };
});
