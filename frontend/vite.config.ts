import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vite";
import vuetify from "vite-plugin-vuetify";

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  build: { chunkSizeWarningLimit: 700, reportCompressedSize: true },
  server: { proxy: { "/api": "http://127.0.0.1:8480" } },
});
