/** Who is in the session and as what, and the owner's word on it. */
import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { useAttempt } from "@/api/attempt";
import { useAsked } from "@/api/asked";
import { patch, post, remove, type Schemas } from "@/api/http";
import { useSession } from "@/session/session";

type Role = Schemas["AddIn"]["role"];

export const usePeople = defineStore("people", () => {
  const session = useSession();
  const looked = ref("");
  const asked = useAsked<Schemas["PeopleOut"]>(
    () => (session.id && looked.value === session.id ? `/api/sessions/${session.id}/people` : null),
    { keeps: true },
  );
  const members = computed(() => asked.answer.value?.members ?? []);
  const invitations = computed(() => asked.answer.value?.invitations ?? []);
  /** The link that was made last: it is told once. */
  const link = ref("");
  /** Whether that is for one person. */
  const isForOne = ref(false);
  const { trouble: refusal, attempt } = useAttempt();
  const trouble = computed(() => refusal.value || asked.trouble.value);
  const owner = computed(() => session.role === "owner");
  const base = (): string => `/api/sessions/${session.id}`;

  async function look(): Promise<void> {
    if (!session.id) return;
    looked.value = session.id;
    await asked.again();
  }

  const change = (send: () => Promise<unknown>): Promise<boolean> =>
    attempt(async () => {
      await send();
      await look();
    });
  const give = (person: number, role: Schemas["RoleChange"]["role"]): Promise<boolean> =>
    change(() => patch(`${base()}/people/${person}`, { role }));

  const add = (username: string, role: Role): Promise<boolean> =>
    change(() => post(`${base()}/people`, { username, role }));
  const setRole = (person: number, role: Role): Promise<boolean> => give(person, role);
  const withdraw = (person: number): Promise<boolean> => change(() => remove(`${base()}/people/${person}`));
  const handOver = (person: number): Promise<boolean> => give(person, "owner");
  const withdrawInvitation = (id: string): Promise<boolean> => change(() => remove(`${base()}/invitations/${id}`));

  const invite = (role: Role, hours: number, once: boolean): Promise<boolean> =>
    attempt(async () => {
      const invitation = await post<Schemas["NewInvitation"]>(`${base()}/invitations`, { role, hours, once });
      // Behind the # it is never sent as part of an address, and stands in no log.
      link.value = `${location.origin}/invitation#${invitation.secret}`;
      isForOne.value = once;
      await look();
    });

  session.onHeard((told) => {
    if (told.type === "people" && members.value.length) void look();
  });
  watch(
    () => session.id,
    () => {
      looked.value = link.value = refusal.value = "";
    },
  );

  return { members, invitations, link, isForOne, trouble, refusal, owner, look, add, setRole, withdraw, handOver, invite, withdrawInvitation };
}); // prettier-ignore
