/** Who is in the session and as what, and the owner's word on it. */
import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { useAttempt } from "@/api/attempt";
import { get, patch, post, remove, type Schemas } from "@/api/http";
import { useSession } from "@/session/session";

type Role = Schemas["AddIn"]["role"];

export const usePeople = defineStore("people", () => {
  const session = useSession();
  const members = ref<Schemas["MemberOut"][]>([]);
  const invitations = ref<Schemas["InvitationOut"][]>([]);
  /** The link that was made last: it is told once. */
  const link = ref("");
  const { trouble, attempt } = useAttempt();
  const owner = computed(() => session.role === "owner");
  const base = (): string => `/api/sessions/${session.id}`;

  async function look(): Promise<void> {
    if (!session.id) return;
    await attempt(async () => {
      const found = await get<Schemas["PeopleOut"]>(`${base()}/people`);
      members.value = found.members;
      invitations.value = found.invitations;
    });
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

  const invite = (role: Role, hours: number): Promise<boolean> =>
    attempt(async () => {
      const invitation = await post<Schemas["NewInvitation"]>(`${base()}/invitations`, { role, hours });
      // Behind the # it is never sent as part of an address, and stands in no log.
      link.value = `${location.origin}/invitation#${invitation.secret}`;
      await look();
    });

  session.onHeard((told) => {
    if (told.type === "people" && members.value.length) void look();
  });
  watch(
    () => session.id,
    () => {
      members.value = [];
      invitations.value = [];
      link.value = trouble.value = "";
    },
  );

  return { members, invitations, link, trouble, owner, look, add, setRole, withdraw, handOver, invite, withdrawInvitation };
}); // prettier-ignore
