// The comparing page's address leads to exactly the view that wrote it.
import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";

import { read, write } from "../../enamel/compare/static/compare/js/view-address.js";

const SHAPE = 0.75;

beforeEach(() => {
  const at = (href) => ({ href, search: new URL(href).search });
  globalThis.window = {
    location: at("http://127.0.0.1/pieces/1/compare/"),
    history: { replaceState: (state, title, address) => (globalThis.window.location = at(String(address))) },
  };
});

test("a view that was written is read again", () => {
  const seen = {
    ...read("wipe", SHAPE, 3),
    way: "difference",
    zoom: 2,
    u: 0.25,
    v: 0.125,
    gain: 16,
    signed: true,
    map: "structure",
  };
  write(seen, SHAPE, ["a", "b"]);
  assert.deepEqual(read("wipe", SHAPE, 3), seen);
  assert.match(window.location.search, /show=a%2Cb/);
});

test("what is usual is left out of the address", () => {
  write(read("wipe", SHAPE, 2), SHAPE, ["a"]);
  assert.equal(window.location.search, "?show=a&way=wipe");
});

test("an address with nonsense shows the usual view", () => {
  globalThis.window.location.search = "?way=spin&zoom=much&gain=";
  const seen = read("grid", SHAPE, 1);
  assert.equal(seen.way, "wipe");
  assert.equal(seen.zoom, 0);
  assert.equal(seen.second, 0);
});
