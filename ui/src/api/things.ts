import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "./client";

/** Everything of the school that a sequence, a condition or a move can name, to pick from. */
export function useThings() {
  const query = useQuery({
    queryKey: ["things"],
    queryFn: () => data(api.GET("/api/school/things")),
    staleTime: 30_000,
  });
  const courses = computed(() => query.data.value?.courses ?? []);
  const several = computed(() => courses.value.length > 1);
  const inner = (kind: "modules" | "lessons" | "quizzes") =>
    courses.value.flatMap((course) =>
      course[kind].map((item, index) => {
        const title = kind === "quizzes" ? item.title : `${index + 1} · ${item.title}`;
        return { value: item.key, label: several.value ? `${title} (${course.short})` : title };
      }),
    );
  const options = computed<Record<string, { value: string; label: string }[]>>(() => ({
    course: courses.value.map((course) => ({ value: course.key, label: course.short })),
    module: inner("modules"),
    lesson: inner("lessons"),
    quiz: inner("quizzes"),
    offer: (query.data.value?.offers ?? []).map((offer) => ({ value: offer.key, label: offer.title })),
    letter: (query.data.value?.letters ?? []).map((letter) => ({ value: letter.key, label: letter.title })),
    sequence: (query.data.value?.sequences ?? []).map((sequence) => ({ value: sequence.key, label: sequence.title })),
    tag: (query.data.value?.tags ?? []).map((tag) => ({ value: tag, label: tag })),
    form: (query.data.value?.forms ?? []).map((form) => ({ value: form, label: form })),
    answer: (query.data.value?.answers ?? []).map((answer) => ({ value: answer.key, label: answer.title })),
    field: (query.data.value?.fields ?? []).map((field) => ({ value: field, label: field })),
  }));
  return { things: query.data, options, courses };
}
