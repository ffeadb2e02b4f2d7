<script setup lang="ts">
/** Who is in the session: roles, invitations by link or by account, and handing the session over. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { Button, Checkbox, Input, Modal, Popconfirm } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import type { Schemas } from "@/api/http";
import { useAccount } from "@/account/account";
import { useSession } from "@/session/session";
import { useAlong } from "@/audio/along";
import { initials, personColour } from "@/ui/theme";
import { say } from "@/ui/say";
import { momentText } from "@/ui/moment";
import { usePeople } from "./people";

const open = defineModel<boolean>("open", { required: true });
const session = useSession();
const people = usePeople();
const account = useAccount();
const along = useAlong();
type Role = Schemas["AddIn"]["role"];

const ROLES: { value: Role; title: string }[] = [
  { value: "engineer", title: t("peopleDialog.engineerCanEdit") },
  { value: "listener", title: t("peopleDialog.listenerCanHearAndComment") },
];
const HOURS = [
  { value: 24, title: t("peopleDialog.aDay") },
  { value: 24 * 7, title: t("peopleDialog.aWeek") },
  { value: 24 * 30, title: t("peopleDialog.aMonth") },
];
const role = ref<Role>("listener");
const hours = ref(24 * 7);
/** A link is for one person unless it is said to be for several. */
const once = ref(true);
const username = ref("");
const copied = ref(false);

watch(
  open,
  (now) => {
    if (!now) return;
    people.link = people.refusal = "";
    void people.look();
  },
  { immediate: true },
);
const here = computed(() => new Map([...session.people.values()].map((one) => [one.id, one])));
const mine = (member: Schemas["MemberOut"]): boolean => member.id === account.me?.id;

/** How an invitation is told: for whom, or that it is a link. */
function told(one: Schemas["InvitationOut"]): string {
  if (one.guest) return "peopleDialog.guestAsRoleUntil";
  return one.once ? "peopleDialog.linkForOneRoleUntil" : "peopleDialog.linkForARoleUntil";
}

async function add(): Promise<void> {
  if (await people.add(username.value.trim(), role.value)) username.value = "";
}

async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(people.link);
    copied.value = true;
  } catch {
    say.know(t("peopleDialog.chooseTheLinkAndCopy"));
  }
}
async function invite(): Promise<void> {
  copied.value = false;
  await people.invite(role.value, hours.value, once.value);
}
</script>

<template>
  <Modal v-model:open="open" :title="$t('peopleDialog.people')" :footer="null" :width="680">
    <p v-if="people.trouble" class="trouble" role="alert">{{ people.trouble }}</p>
    <ul class="members" :aria-label="$t('peopleDialog.inThisSession')">
      <li v-for="member in people.members" :key="member.id">
        <span class="face" :style="{ background: personColour(member.colour) }">{{
          initials(member.name)
        }}</span>
        <span class="who">
          <b>{{ member.name }}</b>
          <small class="quiet"
            >{{ member.username
            }}{{
              mine(member)
                ? $t("peopleDialog.you")
                : here.has(member.id)
                  ? $t("peopleDialog.inTheSessionNow")
                  : ""
            }}</small
          >
        </span>
        <Button
          v-if="here.has(member.id) && !mine(member)"
          size="small"
          @click="
            along.begin(must(here.get(member.id)));
            open = false;
          "
        >
          {{ $t("peopleDialog.listenAlong") }}
        </Button>
        <select
          v-if="people.owner && member.role !== 'owner'"
          :value="member.role"
          :aria-label="$t('peopleDialog.roleOfName', { name: member.name })"
          @change="people.setRole(member.id, ($event.target as HTMLSelectElement).value as Role)"
        >
          <option v-for="one in ROLES" :key="one.value" :value="one.value">{{ one.value }}</option>
        </select>
        <span v-else class="role">{{ member.role }}</span>
        <template v-if="people.owner && member.role !== 'owner'">
          <Popconfirm
            :title="$t('peopleDialog.nameBecomesTheOwnerAnd', { name: member.name })"
            :ok-text="$t('peopleDialog.transferOwnership')"
            :cancel-text="$t('peopleDialog.cancel')"
            @confirm="people.handOver(member.id)"
          >
            <Button size="small">{{ $t("peopleDialog.transferOwnership2") }}</Button>
          </Popconfirm>
          <Popconfirm
            :title="$t('peopleDialog.nameLosesAccessAtOnce', { name: member.name })"
            :ok-text="$t('peopleDialog.remove')"
            :cancel-text="$t('peopleDialog.cancel2')"
            @confirm="people.withdraw(member.id)"
          >
            <Button size="small">{{ $t("peopleDialog.remove2") }}</Button>
          </Popconfirm>
        </template>
        <Popconfirm
          v-else-if="mine(member) && member.role !== 'owner'"
          :title="$t('peopleDialog.youLoseAccessToThe')"
          :ok-text="$t('peopleDialog.leave')"
          :cancel-text="$t('peopleDialog.cancel3')"
          @confirm="people.withdraw(member.id)"
        >
          <Button size="small">{{ $t("peopleDialog.leave2") }}</Button>
        </Popconfirm>
      </li>
    </ul>
    <section v-if="people.owner" class="invite">
      <h3 class="heading">{{ $t("peopleDialog.invite") }}</h3>
      <div class="line">
        <label
          >{{ $t("peopleDialog.as") }}
          <select v-model="role" :aria-label="$t('peopleDialog.role')">
            <option v-for="one in ROLES" :key="one.value" :value="one.value">{{ one.title }}</option>
          </select>
        </label>
        <label
          >{{ $t("peopleDialog.for") }}
          <select v-model="hours" :aria-label="$t('peopleDialog.howLongTheLinkIs')">
            <option v-for="one in HOURS" :key="one.value" :value="one.value">{{ one.title }}</option>
          </select>
        </label>
        <Checkbox v-model:checked="once">{{ $t("peopleDialog.forOnePerson") }}</Checkbox>
        <Button type="primary" size="small" @click="invite">{{ $t("peopleDialog.createLink") }}</Button>
      </div>
      <div v-if="people.link" class="line">
        <input
          class="link-text number"
          readonly
          :value="people.link"
          :aria-label="$t('peopleDialog.invitationLink')"
        />
        <Button size="small" @click="copy">
          {{ copied ? $t("peopleDialog.copied") : $t("peopleDialog.copy") }}
        </Button>
      </div>
      <p v-if="people.link" class="quiet">
        {{ people.isForOne ? $t("peopleDialog.sendItToOnePerson") : $t("peopleDialog.sendItToThePerson") }}
      </p>
      <form class="line" @submit.prevent="add">
        <label class="grow"
          >{{ $t("peopleDialog.orByAccountName") }}
          <Input
            v-model:value="username"
            required
            :maxlength="150"
            :aria-label="$t('peopleDialog.accountName')"
          />
        </label>
        <Button size="small" html-type="submit">{{ $t("peopleDialog.add") }}</Button>
      </form>
      <ul v-if="people.invitations.length" class="links" :aria-label="$t('peopleDialog.activeLinks')">
        <li v-for="one in people.invitations" :key="one.id">
          <span
            >{{ $t(told(one), { guest: one.guest, role: one.role, momentText: momentText(one.ends_at) }) }}
            <small class="quiet">{{
              one.accepted
                ? $t("peopleDialog.acceptedAccepted", { accepted: one.accepted })
                : $t("peopleDialog.notAcceptedYet")
            }}</small></span
          >
          <Button size="small" @click="people.withdrawInvitation(one.id)">
            {{ $t("peopleDialog.withdraw") }}
          </Button>
        </li>
      </ul>
    </section>
  </Modal>
</template>

<style scoped>
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li,
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
.line {
  border: 0;
}
.face {
  color: var(--on-lamp);
  display: grid;
  place-items: center;
  width: 26px;
  height: 26px;
  border-radius: 50%;
  font-size: 10px;
  font-weight: 600;
}
.who {
  flex: 1;
  min-width: 0;
}
.who small {
  display: block;
}
select,
input {
  height: 27px;
  padding: 0 5px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.role {
  color: var(--quiet);
}
.invite {
  margin-top: 16px;
}
.grow,
.link-text,
.links span {
  flex: 1;
}
.grow input {
  width: 190px;
}
.link-text {
  font-size: 12px;
}
@media (max-width: 560px) {
  li,
  .line {
    flex-wrap: wrap;
  }
}
</style>
