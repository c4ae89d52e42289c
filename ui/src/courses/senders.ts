import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "../api/client";

/** The addresses that letters about a course may come from: the school's own first, then those given under Mail. */
export function useSenders() {
  const { data: mail } = useQuery({ queryKey: ["mail"], queryFn: () => data(api.GET("/api/school/mail")) });
  const addresses = computed(() => [
    { value: "", label: mail.value?.school_address ?? "" },
    ...(mail.value?.senders ?? []).map((one) => ({ value: one, label: one })),
  ]);
  return { addresses };
}
