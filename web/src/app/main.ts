/** Starts the application. */
import "@fontsource/ibm-plex-sans/latin-400.css";
import "@fontsource/ibm-plex-sans/latin-600.css";
import "@fontsource/ibm-plex-mono/latin-400.css";
import "@fontsource/ibm-plex-mono/latin-500.css";
import "./style.css";
import { createPinia } from "pinia";
import { createApp } from "vue";
import App from "./App.vue";
import { words, t } from "@/words";
import { install } from "@/offline/state";
import { router } from "./router";
import { useNotices } from "@/ui/notices";

const app = createApp(App).use(words).use(createPinia()).use(router);
// A fault of the page itself is said, and what was changed is kept: it goes on as far as it can.
app.config.errorHandler = (error) => {
  console.error(error);
  useNotices().tell(t("app.fault"), {
    about: "fault",
    action: { title: t("app.reload"), run: () => location.reload() },
  });
};
app.mount("#app");
// Installed when the page is there: it waits for nothing of it.
if (import.meta.env.PROD) addEventListener("load", () => void install(), { once: true });
