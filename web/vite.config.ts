import { transformAsync } from "@babel/core";
import { lingui } from "@lingui/vite-plugin";
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig, type Plugin } from "vite";

/** Makes look-ups in the catalogues of the texts that the code has in English. */
function texts(): Plugin {
  return {
    name: "texts",
    enforce: "pre",
    async transform(code, id) {
      if (!/\.tsx?$/.test(id) || !code.includes("@lingui/")) return;
      const done = await transformAsync(code, {
        filename: id,
        configFile: false,
        babelrc: false,
        sourceMaps: true,
        parserOpts: { plugins: ["typescript", "jsx"] },
        plugins: ["@lingui/babel-plugin-lingui-macro"],
      });
      return done?.code ? { code: done.code, map: done.map } : undefined;
    },
  };
}

export default defineConfig({
  plugins: [texts(), react(), tailwindcss(), lingui({ failOnMissing: true, failOnCompileError: true })],
  build: { target: "es2022", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": "http://127.0.0.1:7420" } },
});
