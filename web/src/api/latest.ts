/** Several questions under way at once: only the answer to the one asked last counts, in whatever order they come. */

/** Made once for each kind of question; called with each question, it tells later whether that is still the last. */
export function latest(): () => () => boolean {
  let asked = 0;
  return () => {
    const mine = (asked += 1);
    return () => mine === asked;
  };
}
