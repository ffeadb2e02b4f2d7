/** In which units places and times are told on this page. */
import { reactive } from "vue";

export const units = reactive({
  /** L31, or −31. */
  places: "letters",
  /** Bars and beats, or minutes and seconds. */
  times: "bars",
});
