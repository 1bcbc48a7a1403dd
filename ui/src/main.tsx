import "@fontsource-variable/public-sans";
import "@fontsource-variable/source-serif-4";
import "@fontsource-variable/source-serif-4/wght-italic.css";
import { setNonce } from "get-nonce";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import "./app.css";

const meta = document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]');
if (meta?.nonce) setNonce(meta.nonce);
const root = document.getElementById("root");
if (root) createRoot(root).render(<App />);
