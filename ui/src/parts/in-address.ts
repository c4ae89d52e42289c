import { onBeforeUnmount, reactive, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

type Asked = Record<string, string | number | boolean | object | null>;

function read(text: string, like: Asked[string]): Asked[string] {
  if (typeof like === "string") return text;
  try {
    const found = JSON.parse(text) as Asked[string];
    return like === null || typeof found === typeof like ? found : like;
  } catch {
    return like;
  }
}

/**
 * What is searched for, sorted by and looked at on a place: kept in its address,
 * so that the way back finds it again. What is as it was at first is left out.
 */
export function useInAddress<T extends Asked>(first: T): T {
  const [route, router] = [useRoute(), useRouter()];
  const path = route.path;
  const now = Object.fromEntries(
    Object.entries(first).map(([name, like]) => [name, route.query[name] === undefined ? like : read(String(route.query[name]), like)]),
  );
  const asked = reactive(now) as T;
  const written = (value: Asked[string]) => (typeof value === "string" ? value : JSON.stringify(value));
  let timer = 0;
  function put(): void {
    window.clearTimeout(timer);
    if (route.path !== path) return;
    const query = { ...route.query };
    for (const [name, like] of Object.entries(first)) {
      const value = (asked as Asked)[name] ?? null;
      if (written(value) === written(like)) delete query[name];
      else query[name] = written(value);
    }
    void router.replace({ query, hash: route.hash });
  }
  // Not at every key: the address is for the way back.
  watch(asked, () => {
    window.clearTimeout(timer);
    timer = window.setTimeout(put, 200);
  }, { deep: true });
  onBeforeUnmount(() => window.clearTimeout(timer));
  return asked;
}
