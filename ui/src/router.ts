import { createRouter, createWebHistory } from "vue-router";

import { BASE } from "./api/base";

export const router = createRouter({
  history: createWebHistory(BASE || "/"),
  routes: [
    { path: "/", redirect: "/today" },
    { path: "/today", component: () => import("./today/TodayPlace.vue") },
    { path: "/courses", component: () => import("./courses/CourseList.vue") },
    { path: "/courses/:id", component: () => import("./courses/CoursePlace.vue"), props: true },
    { path: "/purchases", component: () => import("./figures/PurchasesPlace.vue") },
    { path: "/certificates", component: () => import("./courses/CertificatesPlace.vue") },
    { path: "/sequences", component: () => import("./sequences/SequenceList.vue") },
    { path: "/sequences/:id", component: () => import("./sequences/SequenceEditor.vue"), props: true },
    { path: "/sequences/:id/figures", component: () => import("./sequences/SequenceFigures.vue"), props: true },
    { path: "/sequences/:id/trial", component: () => import("./sequences/TrialPlace.vue"), props: true },
    { path: "/sequences/:id/rehearsal", component: () => import("./rehearsal/RehearsalPlace.vue"), props: true },
    { path: "/letters", component: () => import("./letters/LetterList.vue") },
    { path: "/letters/:id", component: () => import("./letters/LetterEditor.vue"), props: true },
    { path: "/letters/:id/figures", component: () => import("./letters/LetterFigures.vue"), props: true },
    { path: "/letters/:id/versions", component: () => import("./letters/LetterVersions.vue"), props: true },
    { path: "/broadcasts", component: () => import("./broadcasts/BroadcastList.vue") },
    { path: "/broadcasts/:id", component: () => import("./broadcasts/BroadcastPage.vue"), props: true },
    { path: "/students", component: () => import("./students/StudentList.vue") },
    { path: "/students/:id", component: () => import("./students/StudentPage.vue"), props: true },
    { path: "/tags", component: () => import("./tags/TagsPlace.vue") },
    { path: "/audiences", component: () => import("./tags/AudiencesPlace.vue") },
    { path: "/import", component: () => import("./students/ImportPlace.vue") },
    { path: "/dispatch", component: () => import("./log/DispatchLog.vue") },
    { path: "/dispatch/:id", component: () => import("./log/DeliveryPage.vue"), props: true },
    { path: "/practice", component: () => import("./practice/PracticePlace.vue") },
    { path: "/school", component: () => import("./school/SchoolPlace.vue") },
    { path: "/school/connections", component: () => import("./connections/ConnectionsPlace.vue") },
    { path: "/school/destinations", component: () => import("./destinations/DestinationsPlace.vue") },
    { path: "/school/destinations/this", component: () => import("./destinations/CallsPage.vue") },
    { path: "/school/destinations/:id", component: () => import("./destinations/DestinationPage.vue"), props: true },
    { path: "/school/connections/:id", component: () => import("./connections/ConnectionPage.vue"), props: true },
    { path: "/school/sign-up", component: () => import("./signups/SignUpForms.vue") },
    { path: "/school/sign-up/:id", component: () => import("./signups/SignUpForm.vue"), props: true },
    { path: "/school/mail", component: () => import("./school/MailPlace.vue") },
    { path: "/school/copies", component: () => import("./school/CopiesPlace.vue") },
    { path: "/school/coming-back", component: () => import("./school/ComingBack.vue") },
    { path: "/school/check-up", component: () => import("./school/CheckUp.vue") },
    { path: "/school/helpers", component: () => import("./school/HelpersPlace.vue") },
    { path: "/school/changes", component: () => import("./school/ChangesPlace.vue") },
    { path: "/you", component: () => import("./you/YouPlace.vue") },
    { path: "/invited", redirect: "/today" },
    { path: "/new-password", redirect: "/today" },
    { path: "/set-up", redirect: "/today" },
    { path: "/school/look", component: () => import("./school/LooksPlace.vue") },
    { path: "/:rest(.*)", component: () => import("./frame/NotFound.vue") },
  ],
});

router.afterEach((to) => {
  const place = to.path.split("/")[1] ?? "";
  const name = {
    today: "Today",
    courses: "Courses",
    certificates: "Certificates",
    purchases: "Purchases",
    sequences: "Sequences",
    letters: "Letters",
    broadcasts: "Broadcasts",
    students: "Students",
    tags: "Tags",
    audiences: "Audiences",
    import: "Import",
    dispatch: "Dispatch log",
    practice: "Practice classroom",
    school: "School",
    you: "You",
  }[place];
  const title = name ? `${name} · Patient Courier` : "Patient Courier";
  document.title = BASE ? `practice · ${title}` : title;
});
