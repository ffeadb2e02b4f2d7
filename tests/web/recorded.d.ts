/** What the server has answered (tests/server/test_answers.py): by the kind of session, by path. */
declare module "*answers.json" {
  const recorded: Record<"stereo" | "room", Record<string, unknown>>;
  export default recorded;
}
