import "@fontsource-variable/bitter";
import "@fontsource-variable/literata";
import "@fontsource-variable/noto-sans-arabic";
import "@fontsource-variable/noto-sans-devanagari";
import "@fontsource-variable/noto-sans-hebrew";
import "@fontsource-variable/public-sans";
import "@fontsource/courier-prime/400.css";
import "@fontsource/courier-prime/700.css";
import "ant-design-vue/dist/reset.css";
import "./styles.css";

import { VueQueryPlugin } from "@tanstack/vue-query";
import { createApp } from "vue";

import App from "./App.vue";
import { needs } from "./api/rights";
import { named } from "./parts/named";
import { router } from "./router";

createApp(App)
  .directive("named", named)
  .directive("needs", needs)
  .use(router)
  .use(VueQueryPlugin, {
    queryClientConfig: { defaultOptions: { queries: { retry: false, staleTime: 2_000, refetchOnWindowFocus: true } } },
  })
  .mount("#app");
