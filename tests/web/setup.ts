/** After each test: nothing that it has asked or chosen is known to the next. */

// Only now: what is imported here would be there before a test could replace it.
afterEach(async () => {
  (await import("@/api/asked")).questions.clear();
  (await import("@/domain/automated")).setsAutomated.value = "ask";
});
