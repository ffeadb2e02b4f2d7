/** Making a return: a room to begin with, which every source may be sent to. */
import { useSelection } from "./selection";
import { t } from "@/words";
import { defaultsOf } from "@/domain/parameters";
import { freshId, operation, useEdits } from "./edits";
import { useSession } from "./session";

export function useReturns() {
  const session = useSession();
  const edits = useEdits();
  const selection = useSelection();

  function add(): void {
    const count = session.returns.length + 1;
    const id = freshId("return");
    edits.make(
      operation("add-return", {
        to: {
          id, name: t("returns.returnCount", { count: count }), colour: (count + 4) % 10, order: count, muted: false,
          ...defaultsOf("return"),
          effects: [{ id: freshId("room"), kind: "room", on: true, settings: {} }],
        },
      }),
    ); // prettier-ignore
    selection.chooseReturn(id);
  }

  return { add };
}
