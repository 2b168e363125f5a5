// Finds scripts as the studio serves them: the folders static/ of all apps lie over each other.

import { existsSync, readdirSync } from "node:fs";

const STUDIO = new URL("../../studio/", import.meta.url);
const FOLDERS = ["static/", ...readdirSync(STUDIO).map((app) => `${app}/static/`)].map((name) => new URL(name, STUDIO));

/** The file that a script means by a relative name. */
export function resolve(specifier, context, next) {
  const [, served] = context.parentURL?.split("/static/") ?? [];
  if (!served || !specifier.startsWith(".")) return next(specifier, context);
  const wanted = new URL(specifier, `http://studio/${served}`).pathname.slice(1);
  const place = FOLDERS.map((folder) => new URL(wanted, folder)).find((each) => existsSync(each));
  return place ? { url: place.href, shortCircuit: true } : next(specifier, context);
}
