import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { po } from "gettext-parser";
import { defineConfig, type Plugin } from "vite";

/** Catalogues of translations, as objects. */
const catalogues: Plugin = {
  name: "catalogues",
  enforce: "pre",
  transform(code, id) {
    if (!id.endsWith(".po")) return null;
    const { "": plain = {}, ...within } = po.parse(code).translations;
    const texts = (some: typeof plain) =>
      Object.fromEntries(Object.values(some).flatMap((t) => (t.msgid && t.msgstr[0] ? [[t.msgid, t.msgstr[0]]] : [])));
    const catalogue = {
      texts: texts(plain),
      within: Object.fromEntries(Object.entries(within).map(([word, some]) => [word, texts(some)])),
    };
    return {
      code: `export default JSON.parse(${JSON.stringify(JSON.stringify(catalogue))});`,
      map: null,
      moduleType: "js",
    };
  },
};

export default defineConfig({
  plugins: [catalogues, react({ jsxImportSource: "#words" }), tailwindcss()],
  build: { chunkSizeWarningLimit: 1500 },
  server: { proxy: { "/api": "http://localhost:8000" } },
});
