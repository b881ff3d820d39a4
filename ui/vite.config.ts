import { defineConfig, type Plugin } from "vite";

/**
 * Plot puts a style element into every figure. The page's security policy allows none but
 * our own sheet, so the element is left out of the bundle; style.css holds its rules.
 */
function withoutStyleElements(): Plugin {
  const call = /svg\.append\("style"\)\.text\(\s*`[^`]*`\s*\)/;
  return {
    name: "without-style-elements",
    transform(code, id) {
      if (!id.includes("@observablehq/plot/src/") || !code.includes('append("style")')) return null;
      const changed = code.replace(call, "undefined");
      if (changed === code) this.error("Plot's style element has changed its form");
      return { code: changed, map: null };
    },
  };
}

export default defineConfig({
  plugins: [withoutStyleElements()],
  build: {
    outDir: "../src/nachsicht/output/html/bundle",
    emptyOutDir: true,
    target: "es2022",
modulePreload: false,
    // A module, since it waits for its data to be unpacked.
    rolldownOptions: {
      input: "src/main.tsx",
      output: { format: "es", entryFileNames: "page.js", assetFileNames: "page[extname]" },
    },
  },
  define: { "process.env.NODE_ENV": '"production"' },
});
