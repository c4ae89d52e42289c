<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed, ref, watch } from "vue";

import { api, data } from "../api/client";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import DomainBox from "./DomainBox.vue";
import {
  freshMailbox,
  freshServer,
  type Mailbox,
  readServer,
  type Server,
  writtenMailbox,
  writtenServer,
} from "./mail";
import MailboxFields from "./MailboxFields.vue";
import MailTrial from "./MailTrial.vue";
import ServerFields from "./ServerFields.vue";

const notice = useNotice();
const { data: found } = useQuery({ queryKey: ["mail"], queryFn: () => data(api.GET("/api/school/mail")) });
const server = ref<Server | null>(null);
const second = ref<Server | null>(null);
const senders = ref("");
const incoming = ref<Mailbox | null>(null);
const asKept = ref("");
const written = computed(() => JSON.stringify([server.value, second.value, senders.value, incoming.value]));
const changed = computed(() => written.value !== asKept.value);
watch(
  found,
  (now) => {
    // What is being written is not taken away by what is asked anew meanwhile.
    if (!now || (asKept.value && changed.value)) return;
    server.value = readServer(now.server);
    second.value = readServer(now.second);
    senders.value = now.senders.join("\n");
    incoming.value = now.incoming ? { ...now.incoming, password: "" } : null;
    asKept.value = written.value;
  },
  { immediate: true },
);
const addresses = computed(() => [found.value?.school_address ?? "", ...(found.value?.senders ?? [])].filter(Boolean));
const save = useAct(
  () =>
    data(
      api.PUT("/api/school/mail", {
        body: {
          server: server.value ? writtenServer(server.value) : null,
          second: second.value ? writtenServer(second.value) : null,
          senders: senders.value.split(/[\s,;]+/).filter(Boolean),
          incoming: incoming.value ? writtenMailbox(incoming.value) : null,
        },
      }),
    ),
  {
    done: () => {
      asKept.value = written.value;
      notice.done("Kept. It holds from the next letter on.");
    },
  },
);
const bySettings = computed(() => found.value?.by === "environment");
</script>

<template>
  <PageHead title="Mail" :above="{ to: '/school', name: 'School' }"
    ><Button type="primary" :disabled="!changed" :loading="save.isPending.value" @click="save.mutate()">{{
      changed ? "Save" : "Saved"
    }}</Button></PageHead
  >
  <div v-if="found" class="room">
    <section class="sheet box" aria-label="How letters leave">
      <h2>How letters leave</h2>
      <p v-if="found.practice && !bySettings" class="said">
        This is a practice school: whatever is filled in here, its letters go to the built-in mailroom and leave this
        machine never.
      </p>
      <p v-else-if="found.by === 'mailroom'" class="said warn">
        Letters go to the built-in mailroom: nobody gets them. Fill in the mail server that your provider names.
      </p>
      <p v-else-if="bySettings" class="said">
        This server is given by the settings the program was started with (PATIENT_COURIER_SMTP_…), which win over this
        page. Change it there.
      </p>
      <p v-if="found.refusing" class="said warn" role="alert">
        {{ found.refusing }}
        <template v-if="found.by_second">
          Letters go by the second server until the first one takes them again.</template
        >
      </p>
      <p v-if="found.pace" class="said">{{ found.pace }}</p>
      <ServerFields v-if="server" v-model="server" :disabled="bySettings" />
      <div v-if="!bySettings" class="line">
        <Button v-if="!server" @click="server = freshServer()">Fill in a mail server</Button
        ><button v-else class="link" @click="server = second = null">Post to the mailroom instead</button>
      </div>
      <p class="soft">
        Some providers allow 300 letters an hour: that is 5 a minute. What waits for it goes out in its time, and is
        told on Today.
      </p>
      <MailTrial :server="bySettings ? null : server" :to="found.school_address" />
    </section>
    <DomainBox :addresses="addresses" />
    <section v-if="server" class="sheet box" aria-label="When that server refuses">
      <h2>When that server refuses for a day</h2>
      <p class="soft">
        Then letters go by a second one, until the first takes them again. None is posted twice: only what was certainly
        not taken goes on.
      </p>
      <template v-if="second">
        <ServerFields v-model="second" />
        <MailTrial :server="second" second :to="found.school_address" />
        <div><button class="link" @click="second = null">Take the second server away</button></div>
      </template>
      <div v-else><Button @click="second = freshServer()">Add a second server</Button></div>
    </section>
    <section class="sheet box" aria-label="What comes back">
      <h2>What comes back</h2>
      <p class="soft">
        Reports of letters that could not be delivered come to a mailbox. Read from there, they stop dead addresses by
        themselves. Answers that students write stay there unread; that they wrote is shown on their pages.
      </p>
      <p v-if="found.unread" class="said warn" role="alert">{{ found.unread }}</p>
      <p v-if="found.incoming && found.replies" class="soft">Answers counted so far: {{ found.replies }}</p>
      <template v-if="incoming">
        <MailboxFields v-model="incoming" />
        <div><button class="link" @click="incoming = null">Read no mailbox</button></div>
      </template>
      <div v-else><Button @click="incoming = freshMailbox()">Read a mailbox</Button></div>
    </section>
    <section class="sheet box" aria-label="Addresses">
      <h2>Addresses that letters come from</h2>
      <p class="soft">
        Letters come from <b>{{ found.school_address }}</b>. A course can have another address of yours; write those
        here, one a line, and choose among them in the course's outline.
      </p>
      <textarea v-model="senders" rows="3" class="area" aria-label="More addresses, one a line" spellcheck="false" />
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(420px, 1fr));
  gap: 18px;
  align-items: start;
  max-width: 1180px;
}
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
p {
  margin: 0;
}
.said {
  border-left: 3px solid var(--act);
  padding-left: 12px;
  overflow-wrap: anywhere;
}
.said.warn {
  border-left-color: var(--warn-mark);
}
.area {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 11px;
  font: inherit;
  resize: vertical;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
