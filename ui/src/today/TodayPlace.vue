<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed } from "vue";

import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import { counted } from "../parts/counted";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import ApprovalTray from "./ApprovalTray.vue";
import NearlyThere from "./NearlyThere.vue";
import WaitingTray from "./WaitingTray.vue";
import WorstFindings from "./WorstFindings.vue";

const notice = useNotice();
const { data: today } = useQuery({ queryKey: ["today"], queryFn: () => data(api.GET("/api/today")) });
const { data: waiting } = useQuery({ queryKey: ["needs-you"], queryFn: () => data(api.GET("/api/needs-you")) });
const { data: arrived } = useQuery({ queryKey: ["waiting"], queryFn: () => data(api.GET("/api/waiting")) });
const needed = computed(
  () => (waiting.value?.length ?? 0) + (arrived.value?.groups.length ?? 0) + (arrived.value?.silent.length ?? 0),
);
const { things } = useThings();
const most = computed(() => Math.max(1, ...(today.value?.days.map((day) => day.letters) ?? [])));

function reached(one: Api["Stalled"]): string {
  if (one.reached >= one.silent) return "each of them got a letter there, or will";
  return one.reached ? `${one.reached} of them got a letter there, or will` : "no letter reaches them";
}
type Settling = { item: Api["NeedsYou"]; action: "post" | "done" };
async function send({ item, action }: Settling): Promise<string> {
  if (item.ids.length < 2) {
    await data(
      api.POST("/api/needs-you/{kind}/{id}", { params: { path: { kind: item.kind, id: item.id } }, body: { action } }),
    );
    return action === "done"
      ? "Put aside."
      : ["carrier", "disk", "destination"].includes(item.kind)
        ? "Trying again."
        : "The letter is on its way.";
  }
  const now = await data(api.POST("/api/needs-you/letters", { body: { ids: item.ids, action } }));
  if (now.waiting.length && !now.posted) throw new Error(`${now.waiting.join(" ")} Mend that first; then try again.`);
  if (action === "done") return "Put aside.";
  return (
    `${now.posted} letters are on their way.` +
    (now.waiting.length ? ` The others still wait: ${now.waiting.join(" ")}` : "")
  );
}
const settle = useAct(send, { done: (said) => notice.done(said) });
</script>

<template>
  <PageHead title="Today"
    ><template #beside
      ><span v-if="today" class="soft"
        >{{ today.cut_short ? "more than " : "" }}{{ today.total }} letters in the coming seven days, if nobody does
        anything more</span
      ></template
    ></PageHead
  >
  <div v-if="today" class="room">
    <section v-if="things && !things.sequences.length" class="sheet box begin">
      <h2>Begin here</h2>
      <ol>
        <li :class="{ done: things.courses.length }">
          <RouterLink to="/courses">Make a course</RouterLink> and give it its outline, or bring in a school file under
          <RouterLink to="/school">School</RouterLink>.
        </li>
        <li>
          <RouterLink to="/school/connections">Connect your shop or course site</RouterLink>, so that orders and
          finished lessons come in by themselves.
        </li>
        <li>
          <RouterLink to="/sequences">Take a starter</RouterLink>: a ready sequence with its letters, fitted to your
          course.
        </li>
        <li>Rehearse it, then run it. From then on this page shows what goes out.</li>
      </ol>
    </section>
    <p v-if="today.pace" class="sheet box pace" role="status">
      {{ today.pace }} <RouterLink to="/school/mail">Mail</RouterLink>
    </p>
    <section class="strip" aria-label="The coming seven days">
      <article v-for="(day, index) in today.days" :key="day.date" class="day sheet" :class="{ first: index === 0 }">
        <header>
          <span class="postmark">{{ index === 0 ? "Today" : day.weekday }}</span><span class="label">{{
            day.label
          }}</span>
        </header>
        <div class="count postmark">{{ day.letters }}</div>
        <div class="bar"><i :style="{ width: (100 * day.letters) / most + '%' }" /></div>
        <ul>
          <li v-for="line in day.lines" :key="line.broadcast ?? line.sequence">
            <RouterLink :to="line.broadcast ? `/broadcasts/${line.broadcast}` : `/sequences/${line.sequence}`">{{
              line.name
            }}</RouterLink><b class="postmark">{{ line.letters }}</b>
          </li>
        </ul>
        <p v-if="!day.letters" class="label">No post</p>
      </article>
    </section>

    <div class="columns">
      <div class="side">
        <section class="sheet box">
          <h2>Goes out next</h2>
          <table v-if="today.next.length" class="plain">
            <tbody>
              <tr v-for="(letter, index) in today.next" :key="index">
                <td class="postmark when">{{ letter.at }}</td>
                <td>
                  <b>{{ letter.letter_name }}</b> to
                  <RouterLink :to="`/students/${letter.student}`">{{ letter.student_name }}</RouterLink>
                  <div v-if="letter.local !== letter.at" class="label">{{ letter.local }} where they live</div>
                </td>
              </tr>
            </tbody>
          </table>
          <EmptyState v-else title="Nothing is waiting"
            >Run a sequence, and letters line up here as students enrol.</EmptyState
          >
          <article v-for="one in today.stuck" :key="one.letter + one.reason" class="need" data-testid="stuck-ahead">
            <b>▲ “{{ one.name }}” can't go out as it is</b
            ><span class="label"> · {{ counted(one.students, "student") }}, from {{ one.first }} on</span>
            <p>{{ one.reason }} <RouterLink :to="`/letters/${one.letter}`">Look at the letter</RouterLink></p>
          </article>
        </section>
        <WorstFindings />
        <NearlyThere v-if="today.nearly.length" :nearly="today.nearly" />
        <section v-if="today.stalled.length" class="sheet box">
          <h2>Where students stall</h2>
          <ul class="lately">
            <li v-for="one in today.stalled" :key="one.course + one.stop">
              <RouterLink :to="`/courses/${one.course}`"
                ><b class="postmark">{{ one.silent }}</b> at “{{ one.title }}”</RouterLink
              >
              <div class="label">{{ one.course_title }} · silent for a week · {{ reached(one) }}</div>
            </li>
          </ul>
        </section>
      </div>

      <div class="side">
        <ApprovalTray />
        <section class="sheet box">
          <h2>
            Needs you<span v-if="needed" class="pill stuck num">{{ needed }}</span>
          </h2>
          <p v-if="waiting && arrived && !needed" class="soft pad">Nothing waits for you.</p>
          <WaitingTray v-for="group in arrived?.groups" :key="group.id" :group="group" />
          <article v-for="one in arrived?.silent" :key="one.connection" class="need">
            <b>“{{ one.name }}” has gone silent</b>
            <p>{{ one.sentence }} Look whether it still sends to the address you gave it.</p>
            <RouterLink :to="`/school/connections/${one.connection}`">The connection</RouterLink>
          </article>
          <article v-for="item in waiting" :key="item.kind + item.id" class="need">
            <b>{{ item.title }}</b><span class="label"> · {{ item.at }}</span>
            <p>{{ item.sentence }}</p>
            <details v-if="item.body && !['destination', 'upkeep'].includes(item.kind)">
              <summary>What arrived</summary>
              <pre>{{ JSON.stringify(item.body, null, 1) }}</pre>
            </details>
            <Button v-if="item.can_post" size="small" @click="settle.mutate({ item, action: 'post' })">{{
              item.ids.length > 1 ? "Try all again" : "Try again"
            }}</Button>
            <RouterLink v-if="item.kind === 'upkeep'" :to="String(item.body?.place)" class="do">Look at it</RouterLink>
            <RouterLink v-if="item.body?.destination" :to="`/school/destinations/${item.body.destination}`" class="do"
              >Look at it</RouterLink
            >
            <RouterLink v-if="item.letter" :to="`/letters/${item.letter}`" class="do">Mend the letter</RouterLink>
            <RouterLink v-if="item.student && item.ids.length === 1" :to="`/students/${item.student}`" class="do"
              >The student</RouterLink
            >
            <Button
              v-if="!['carrier', 'disk', 'upkeep'].includes(item.kind)"
              size="small"
              type="text"
              @click="settle.mutate({ item, action: 'done' })"
              >{{ item.ids.length > 1 ? "Put all aside" : "Put aside" }}</Button
            >
          </article>
        </section>
        <section class="sheet box">
          <h2>The last seven days</h2>
          <dl>
            <template v-for="line in today.week" :key="line.words"
              ><dt class="postmark">{{ line.number }}</dt>
              <dd>{{ line.words }}</dd></template
            >
          </dl>
        </section>
        <section class="sheet box">
          <h2>Went out lately</h2>
          <ul class="lately">
            <li v-for="line in today.lately" :key="line.id">
              <RouterLink :to="`/dispatch/${line.id}`">{{ line.subject }}</RouterLink>
              <div class="label">
                {{ line.student_name }} · {{ line.school_time
                }}<template v-if="line.status !== 'sent'"> · {{ line.status_words }}</template>
              </div>
            </li>
          </ul>
        </section>
      </div>
    </div>
  </div>
</template>

<style scoped>
.pace {
  margin: 0;
  padding: 10px 14px;
}
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 18px;
}
.strip {
  display: grid;
  grid-template-columns: repeat(7, minmax(0, 1fr));
  gap: 10px;
}
.day {
  padding: 10px 12px 12px;
  min-width: 0;
}
.day.first {
  border-top: 3px solid var(--red);
  padding-top: 8px;
}
.day header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  font-weight: 700;
}
.count {
  font-size: 27px;
  font-weight: 700;
  line-height: 1.3;
}
.bar {
  height: 5px;
  background: var(--sheet2);
  border-radius: 3px;
  margin-bottom: 8px;
}
.bar i {
  display: block;
  height: 100%;
  background: #38699c;
  border-radius: 3px;
}
.day ul {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 12.5px;
  line-height: 1.35;
}
.day li {
  display: flex;
  justify-content: space-between;
  gap: 6px;
  padding: 2px 0;
}
.day li a {
  color: var(--ink);
  text-decoration: none;
  min-width: 0;
}
.day li a:hover {
  text-decoration: underline;
}
.day p {
  margin: 0;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 18px;
  align-items: start;
}
.side {
  display: flex;
  flex-direction: column;
  gap: 18px;
}
.box > h2 {
  padding: 12px 14px 8px;
  display: flex;
  gap: 10px;
  align-items: center;
}
.when {
  white-space: nowrap;
  width: 1%;
}
.pad {
  padding: 0 14px 12px;
  margin: 0;
}
.do {
  padding: 0 8px;
}
td a {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.begin ol {
  margin: 0;
  padding: 0 14px 14px 34px;
}
.begin li {
  padding: 2px 0;
}
.done {
  text-decoration: line-through;
  color: var(--soft);
}
.need {
  padding: 10px 14px;
  border-top: 1px solid var(--rule2);
}
.need p {
  margin: 2px 0 6px;
}
pre {
  background: var(--sheet2);
  padding: 8px;
  overflow: auto;
  font-size: 12px;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 12px;
  padding: 0 14px 12px;
  margin: 0;
}
dt {
  text-align: right;
  font-weight: 700;
}
dd {
  margin: 0;
}
.lately {
  list-style: none;
  margin: 0;
  padding: 0 14px 10px;
}
.lately li {
  padding: 5px 0;
  overflow-wrap: anywhere;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .strip {
    grid-template-columns: minmax(0, 1fr);
    gap: 6px;
  }
  .day {
    display: grid;
    grid-template-columns: 110px 40px 1fr;
    gap: 8px;
    align-items: center;
  }
  .count {
    font-size: 20px;
  }
  .bar {
    margin: 0;
  }
  .day ul,
  .day p {
    grid-column: 1 / -1;
  }
  .room {
    padding: 14px;
  }
}
</style>
