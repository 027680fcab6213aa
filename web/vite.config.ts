// One script and one style sheet, without module loading: a page opened from a file may not load any.
import { defineConfig } from "vite";

export default defineConfig({
  esbuild: { jsx: "automatic", jsxImportSource: "preact" },
  build: {
    target: "es2021",
    cssCodeSplit: false,
    assetsInlineLimit: 0,
    lib: { entry: "src/main.tsx", formats: ["iife"], name: "RenthPage", fileName: () => "page.js" },
    rollupOptions: { output: { assetFileNames: "page.css" } },
  },
  define: { "process.env.NODE_ENV": '"production"' },
});
