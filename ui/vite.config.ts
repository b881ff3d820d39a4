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

/** A page is one script and one style: each is built by itself, the first into an empty folder. */
export default defineConfig(({ mode }) => {
  const name = mode === "history" ? "history" : "page";
  return {
    plugins: [withoutStyleElements()],
    build: {
      outDir: "../src/nachsicht/output/html/bundle",
      emptyOutDir: name === "page",
      target: "es2022",
      modulePreload: false,
      // A module, since it waits for its data to be unpacked.
      rolldownOptions: {
        input: name === "history" ? "src/history.tsx" : "src/main.tsx",
        output: { format: "es", entryFileNames: `${name}.js`, assetFileNames: `${name}[extname]` },
      },
    },
    define: { "process.env.NODE_ENV": '"production"' },
  };
});
