/** What setting a value of something automated does, as this person likes it. */
import { ref } from "vue";

/** The whole line moves, or it gets a point at the playhead; until one has been asked, the line moves. */
export const setsAutomated = ref<"ask" | "line" | "point">("ask");
