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
    Object.entries(first).map(([name, like]) => [
      name,
      route.query[name] === undefined ? like : read(String(route.query[name]), like),
    ]),
  );
  const asked = reactive(now) as T;
  const written = (value: Asked[string]) => (typeof value === "string" ? value : JSON.stringify(value));
  let timer = 0;
  let leaving = false;
  function query(): typeof route.query {
    const found = { ...route.query };
    for (const [name, like] of Object.entries(first)) {
      const value = (asked as Asked)[name] ?? null;
      if (written(value) === written(like)) delete found[name];
      else found[name] = written(value);
    }
    return found;
  }
  function put(): void {
    timer = 0;
    // On the way to another place a replacement would take one back.
    if (!leaving && route.path === path) void router.replace({ query: query(), hash: route.hash });
  }
  const stop = router.beforeEach((to) => {
    leaving = to.path !== path;
    if (!leaving || !timer || route.path !== path) return;
    // What was asked a moment before is still put down, on the page that is left.
    window.clearTimeout(timer);
    const address = router.resolve({ path, query: query(), hash: route.hash }).href;
    window.history.replaceState({ ...(window.history.state as object), current: address }, "", address);
  });
  // Not at every key: the address is for the way back.
  watch(
    asked,
    () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(put, 200);
    },
    { deep: true },
  );
  onBeforeUnmount(() => {
    stop();
    window.clearTimeout(timer);
  });
  return asked;
}
