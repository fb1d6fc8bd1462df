import { readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { promisify } from "node:util";
import { brotliCompress, gzip } from "node:zlib";

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

/** Puts smaller copies beside each file, so that the service makes none at every request. */
function smaller(): Plugin {
  return {
    name: "smaller",
    async writeBundle({ dir }, bundle) {
      const texts = Object.keys(bundle).filter((name) => /\.(js|css|html|svg)$/.test(name));
      await Promise.all(
        texts.map(async (name) => {
          const file = join(dir!, name);
          const text = await readFile(file);
          await writeFile(`${file}.br`, await promisify(brotliCompress)(text));
          await writeFile(`${file}.gz`, await promisify(gzip)(text, { level: 9 }));
        }),
      );
    },
  };
}

export default defineConfig({
  plugins: [
    texts(),
    react(),
    tailwindcss(),
    lingui({ failOnMissing: true, failOnCompileError: true }),
    smaller(),
  ],
  build: { target: "es2022", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": "http://127.0.0.1:7420" } },
});
