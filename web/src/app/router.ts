/** Pages and who may see them: without an account there is only the door. */
import { t } from "@/words";
import { createRouter, createWebHistory } from "vue-router";
import { useAccount } from "@/account/account";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", name: "sessions", component: () => import("@/pages/sessions/SessionList.vue") },
    { path: "/invitation", name: "invitation", component: () => import("@/pages/Invitation.vue") },
    { path: "/new-password", name: "new-password", component: () => import("@/pages/NewPassword.vue") },
    { path: "/sign-in", name: "sign-in", component: () => import("@/pages/SignIn.vue") },
    {
      path: "/sessions/:id/:desk(place|move|pulse|balance|hand-over)?",
      name: "session",
      component: () => import("@/pages/workspace/SessionPage.vue"),
      props: true,
    },
    { path: "/:rest(.*)*", name: "nothing", component: () => import("@/pages/NotFound.vue") },
  ],
});

const TITLES: Record<string, string> = {
  sessions: t("router.yourSessions"),
  "sign-in": t("router.signIn"),
  invitation: t("router.anInvitation"),
  "new-password": t("router.aNewPassword"),
  nothing: t("router.nothingHere"),
};
// A session has its own name for a title.
router.afterEach((to) => {
  const title = TITLES[String(to.name)];
  if (title) document.title = t("router.titleWanderingNeedle", { title: title });
});

router.beforeEach(async (to) => {
  const account = useAccount();
  await account.arrive();
  if (["invitation", "new-password", "nothing"].includes(String(to.name))) return true;
  if (!account.me && to.name !== "sign-in") return { name: "sign-in", query: { next: to.fullPath } };
  if (account.me && to.name === "sign-in") return { name: "sessions" };
  return true;
});
