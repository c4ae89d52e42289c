import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [vue()],
  build: { outDir: "../patient_courier/web/static", emptyOutDir: true, target: "es2022" },
  server: { proxy: { "/api": "http://127.0.0.1:8484", "/post": "http://127.0.0.1:8484" } },
  test: { environment: "jsdom" },
});
