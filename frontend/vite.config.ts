import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vite";
import vuetify from "vite-plugin-vuetify";

export default defineConfig({
  // Blanks between tags count as HTML counts them, whichever line they stand on: so does the formatter.
  plugins: [
    vue({ template: { compilerOptions: { whitespace: "preserve" } } }),
    vuetify({ autoImport: true }),
  ],
  build: {
    chunkSizeWarningLimit: 1600,
    reportCompressedSize: true,
    // The pages, and beside them the one on which the API is read and tried.
    rolldownOptions: { input: ["index.html", "api-docs.html"] },
  },
  server: { proxy: { "/api": "http://127.0.0.1:8480" } },
});
