// split.js: the candidates of a contact sheet as boxes whose edges are dragged or moved by key.
import { svg } from "../../web/js/shared/svg.js";

const NAMES = ["columns", "rows"];

export function init(root) {
  const drawing = document.querySelector("[data-sheet]");
  const group = drawing.querySelector("[data-candidates]");
  const sides = { columns: Number(root.dataset.width), rows: Number(root.dataset.height) };
  const spans = (name) => {
    const numbers = root.elements[name].value.match(/\d+/g)?.map(Number) ?? [];
    return numbers
      .reduce(
        (pairs, value, place) => (place % 2 ? [...pairs.slice(0, -1), [pairs.at(-1)[0], value]] : [...pairs, [value]]),
        [],
      )
      .filter((pair) => pair.length === 2);
  };
  const write = (name, list) => {
    root.elements[name].value = list.map(([start, end]) => `${start}–${end}`).join(" ");
  };
  const draw = () => {
    const [columns, rows] = NAMES.map(spans);
    root.querySelector("[data-made]").textContent = columns.length * rows.length;
    group.replaceChildren(
      ...columns.flatMap(([x, right]) => rows.map(([y, bottom]) => box(x, y, right - x, bottom - y))),
      ...NAMES.flatMap((name) =>
        spans(name).flatMap((span, place) => span.map((value, end) => edge(name, place, end, value))),
      ),
    );
  };
  const move = (name, place, end, value) => {
    const list = spans(name);
    list[place][end] = Math.min(sides[name], Math.max(0, Math.round(value)));
    if (list[place][0] >= list[place][1]) return;
    write(name, list);
    draw();
    group.querySelector(`[data-edge="${name} ${place} ${end}"]`).focus();
  };
  const edge = (name, place, end, value) => {
    const upright = name === "columns";
    const line = svg("path", {
      d: upright ? `M${value} 0V${sides.rows}` : `M0 ${value}H${sides.columns}`,
      class: "cut",
      tabindex: 0,
      role: "slider",
      "aria-orientation": upright ? "horizontal" : "vertical",
      "aria-label": `${end ? "End" : "Start"} of ${upright ? "column" : "row"} ${place + 1}`,
      "aria-valuenow": value,
      "aria-valuemin": 0,
      "aria-valuemax": sides[name],
    });
    line.dataset.edge = `${name} ${place} ${end}`;
    line.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      line.focus();
      const follow = (moved) => move(name, place, end, at(drawing, moved)[upright ? 0 : 1]);
      const stop = () => {
        window.removeEventListener("pointermove", follow);
        window.removeEventListener("pointerup", stop);
      };
      window.addEventListener("pointermove", follow);
      window.addEventListener("pointerup", stop);
    });
    line.addEventListener("keydown", (event) => {
      const by = { ArrowLeft: -1, ArrowUp: -1, ArrowRight: 1, ArrowDown: 1 }[event.key];
      if (!by) return;
      event.preventDefault();
      move(name, place, end, value + by * (event.shiftKey ? 10 : 1));
    });
    return line;
  };
  for (const field of root.querySelectorAll("[data-count]")) {
    field.addEventListener("input", () => {
      const [name, count] = [field.dataset.count, Math.max(1, Number(field.value) || 1)];
      const cut = (place) => Math.round((sides[name] * place) / count);
      write(
        name,
        Array.from({ length: count }, (_, place) => [cut(place), cut(place + 1)]),
      );
      draw();
    });
  }
  root.addEventListener("input", ({ target }) => NAMES.includes(target.name) && draw());
  draw();
}

function box(x, y, width, height) {
  return svg("rect", { x, y, width, height, class: "candidate" });
}

function at(drawing, event) {
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(drawing.getScreenCTM().inverse());
  return [point.x, point.y];
}
