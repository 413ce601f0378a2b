// view-address.js: keep the comparing bench's state in the page's address, so that a link leads to exactly this view.
import { ways } from "./ways.js";

// u and v: centre of the view, in widths of the picture; zoom: screen px for a px of the largest picture, 0 to fit;
// x and y: position of the line or the lens, as fractions of the stage
const STANDARD = {
  u: 0.5,
  v: null,
  zoom: 0,
  x: 0.5,
  y: 0.5,
  angle: 0,
  rate: 1,
  gain: 4,
  opacity: 50,
  lens: 2,
  signed: false,
  luma: false,
  smooth: false,
  first: 0,
  second: 1,
  finding: -1,
  map: "",
};

export function read(usualWay, shape, pictures) {
  const given = new URLSearchParams(window.location.search);
  const found = { ...STANDARD, v: shape / 2, second: Math.min(1, pictures - 1), way: given.get("way") ?? usualWay };
  if (!(found.way in ways) && found.way !== "table") found.way = "wipe";
  for (const [name, usual] of Object.entries(STANDARD)) {
    const value = given.get(name);
    if (value === null) continue;
    if (typeof usual === "boolean") found[name] = value === "1";
    else if (name === "map") found[name] = value;
    else if (Number.isFinite(Number(value))) found[name] = Number(value);
  }
  return found;
}

export function write(state, shape, tokens) {
  const address = new URL(window.location.href);
  address.searchParams.set("show", tokens.join(","));
  address.searchParams.set("way", state.way);
  for (const [name, usual] of Object.entries(STANDARD)) {
    const value = state[name];
    if (value === (name === "v" ? shape / 2 : usual)) address.searchParams.delete(name);
    else if (typeof value === "boolean") address.searchParams.set(name, value ? "1" : "0");
    else address.searchParams.set(name, typeof value === "number" ? Number(value.toFixed(5)) : value);
  }
  window.history.replaceState(null, "", address);
}
