// Pictures in SVG: lines and bands over time on one scale, with a reader that goes from period to period.

const PAD = { left: 56, right: 12, top: 14, bottom: 26 };

const inside = (values) => values.filter(isKnown);

// Limits that hold all values with a little air, from zero where demand is near it; never of no width.
function limitsOf(lists) {
  const values = inside(lists.flat());
  let low = Infinity;
  let high = -Infinity;
  for (const value of values) { low = Math.min(low, value); high = Math.max(high, value); }
  if (!values.length) return [0, 1];
  if ((low >= 0 && low < 0.6 * high) || (low === high && high > 0)) low = 0;
  const air = 0.06 * (high - low || Math.abs(high) || 1);
  return [low === 0 ? 0 : low - air, high + air];
}

function ticksOf(low, high, most) {
  const rough = (high - low) / Math.max(most, 1);
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((one) => one * power).find((one) => one >= rough);
  const found = [];
  for (let tick = Math.ceil(low / step) * step; tick <= high + step * 1e-9; tick += step) found.push(Math.abs(tick) < step * 1e-9 ? 0 : tick);
  return found;
}

// Periods that a scale names: first ones of years or months where they are few enough, else evenly spaced.
function periodTicks(first, stop, most, names) {
  const at = (test) => { const found = []; for (let p = first; p < stop; p += 1) if (test(names[p] || "")) found.push(p); return found; };
  const years = at((text) => /^\d{4}(-01(-01)?( 00:00)?|-Q1|-W01)?$/.test(text));
  if (years.length >= 2) {
    const step = Math.ceil(years.length / most);
    return years.filter((_, k) => k % step === 0).map((p) => [p, names[p].slice(0, 4)]);
  }
  const months = at((text) => /^\d{4}-\d\d-01( 00:00)?$/.test(text));
  if (months.length >= 2 && months.length <= most) return months.map((p) => [p, names[p].slice(0, 7)]);
  const step = Math.max(1, Math.ceil((stop - first) / most));
  const found = [];
  for (let p = first; p < stop; p += step) found.push([p, names[p] || ""]);
  return found;
}

// A path through what is known; what stands alone is a dot.
function pathOf(start, values, x, y) {
  let path = "";
  for (let k = 0; k < values.length; k += 1) {
    if (!isKnown(values[k])) continue;
    const begins = k === 0 || !isKnown(values[k - 1]);
    const alone = begins && (k + 1 === values.length || !isKnown(values[k + 1]));
    const [a, b] = [x(start + k).toFixed(1), y(values[k]).toFixed(1)];
    path += `${begins ? "M" : "L"}${a} ${b}${alone ? "h0.01" : ""}`;
  }
  return path;
}

function bandPath(start, lower, upper, x, y) {
  const parts = [];
  let run = [];
  const close = () => {
    if (run.length === 1) run = [[run[0][0] - 0.35, ...run[0].slice(1)], [run[0][0] + 0.35, ...run[0].slice(1)]];
    if (run.length) {
      const above = run.map(([p, , high]) => `${x(p).toFixed(1)} ${y(high).toFixed(1)}`);
      const below = run.map(([p, low]) => `${x(p).toFixed(1)} ${y(low).toFixed(1)}`).reverse();
      parts.push(`M${above.join("L")}L${below.join("L")}Z`);
    }
    run = [];
  };
  lower.forEach((low, k) => { if (isKnown(low) && isKnown(upper[k])) run.push([start + k, low, upper[k]]); else close(); });
  close();
  return parts.join("");
}

const cut = (start, values, first, stop) => values.filter((_, k) => start + k >= first && start + k < stop);

// Everything that a picture over time holds.
// lines: { start, values, name, look }, bands: { start, lower, upper, name, look }, ground: [first, stop] of what was held back.
function timeline({ label, first, stop, lines, bands = [], ground = null, scale = null, width, height = 300, small = false, names = head.periods }) {
  const pad = small ? { left: 44, right: 6, top: 6, bottom: 20 } : PAD;
  const lists = [...lines.map((one) => cut(one.start, one.values, first, stop)),
    ...bands.flatMap((one) => [cut(one.start, one.lower, first, stop), cut(one.start, one.upper, first, stop)])];
  const [low, high] = scale || limitsOf(lists);
  const x = (p) => pad.left + ((p - first + 0.5) / Math.max(stop - first, 1)) * (width - pad.left - pad.right);
  const y = (v) => height - pad.bottom - ((v - low) / (high - low || 1)) * (height - pad.top - pad.bottom);
  const id = `clip${(timeline.made = (timeline.made || 0) + 1)}`;
  const marks = ticksOf(low, high, small ? 3 : 5).map((tick) => [
    s("line", { class: "grid", x1: pad.left, x2: width - pad.right, y1: y(tick), y2: y(tick) }),
    s("text", { class: "tick", x: pad.left - 6, y: y(tick) + 4, "text-anchor": "end" }, number(tick, 3)),
  ]);
  const stamps = periodTicks(first, stop, Math.max(2, Math.floor((width - pad.left) / (small ? 70 : 84))), names).map(([p, text]) =>
    s("text", { class: "tick", x: x(p), y: height - 6, "text-anchor": "middle" }, text));
  const held = ground && s("rect", { class: "ground", x: x(ground[0] - 0.5), width: Math.max(0, x(ground[1] - 0.5) - x(ground[0] - 0.5)), y: pad.top, height: height - pad.top - pad.bottom });
  const drawing = s("svg", { class: "plot", viewBox: `0 0 ${width} ${height}`, width, height, role: "img", "aria-label": label },
    s("defs", {}, s("clipPath", { id }, s("rect", { x: pad.left, y: 0, width: width - pad.left - pad.right + 4, height: height - pad.bottom + 1 }))),
    held, marks, stamps,
    s("g", { "clip-path": `url(#${id})` },
      bands.map((one) => s("path", { class: `band ${one.look}`, d: bandPath(one.start, one.lower, one.upper, x, y) })),
      lines.map((one) => s("path", { class: `line ${one.look}`, d: pathOf(one.start, one.values, x, y) }))));
  return small ? drawing : readable({ drawing, label, first, stop, lines, bands, x, pad, height, width, names });
}

// What stands at a period, said as the pointer or the arrow keys come to it.
function readable({ drawing, label, first, stop, lines, bands, x, pad, height, width, names }) {
  const rule = s("line", { class: "rule", y1: pad.top, y2: height - pad.bottom, visibility: "hidden" });
  drawing.append(rule);
  const said = h("output", { class: "reader", "aria-live": "polite" });
  let at = -1;
  const read = (p) => {
    at = Math.min(Math.max(p, first), stop - 1);
    rule.setAttribute("x1", x(at));
    rule.setAttribute("x2", x(at));
    rule.setAttribute("visibility", "visible");
    const parts = lines.filter((one) => isKnown(one.values[at - one.start])).map((one) => `${one.name} ${number(one.values[at - one.start])}`);
    for (const one of bands) {
      if (isKnown(one.lower[at - one.start])) parts.push(`${one.name.split(" interval")[0]} ${between(one.lower[at - one.start], one.upper[at - one.start])}`);
    }
    said.textContent = `${names[at]}: ${parts.join("; ") || "nothing is known"}`;
  };
  const move = (event) => {
    const place = ((event.clientX - drawing.getBoundingClientRect().left) / drawing.getBoundingClientRect().width) * width;
    read(first + Math.floor(((place - pad.left) / (width - pad.left - pad.right)) * (stop - first)));
  };
  const keys = { ArrowLeft: -1, ArrowRight: 1, PageUp: -head.season, PageDown: head.season, Home: -Infinity, End: Infinity };
  const press = (event) => {
    if (!(event.key in keys)) return;
    event.preventDefault();
    read(at < 0 ? stop - 1 : Math.min(Math.max(at + keys[event.key], first), stop - 1));
  };
  const frame = h("div", { class: "frame", tabindex: "0", role: "group", "aria-label": `${label}. Arrow keys read it period by period.`, onpointermove: move, onkeydown: press }, drawing);
  return h("div", { class: "picture" }, frame, said, keyOf(lines, bands));
}

// Which line is which, beside the data and never over it.
function keyOf(lines, bands) {
  const one = (kind, item) => h("li", {}, s("svg", { class: "key", viewBox: "0 0 26 12", width: 26, height: 12, "aria-hidden": "true" },
    kind === "line" ? s("path", { class: `line ${item.look}`, d: "M1 6L25 6" }) : s("rect", { class: `band ${item.look}`, width: 26, height: 12 })), item.name);
  return h("ul", { class: "keys" }, lines.filter((item) => item.name).map((item) => one("line", item)), bands.slice().reverse().map((item) => one("band", item)));
}

// Points between two scales: items by volume and error, or shares held against levels.
function scatter({ label, points, xName, yName, width, height = 320 }) {
  const known = points.filter((one) => isKnown(one.x) && isKnown(one.y) && one.x > 0);
  if (!known.length) return h("p", {}, "Nothing of this is known.");
  const sizes = known.map((one) => Math.log10(one.x));
  const [left, right] = [Math.min(...sizes) - 0.1, Math.max(...sizes) + 0.1];
  const sorted = known.map((one) => one.y).sort((a, b) => a - b);
  const top = Math.min(sorted[sorted.length - 1], 3 * sorted[Math.floor(0.9 * (sorted.length - 1))]) * 1.05 || 1;
  const x = (v) => PAD.left + ((Math.log10(v) - left) / (right - left || 1)) * (width - PAD.left - PAD.right);
  const y = (v) => height - 40 - (Math.min(v, top) / top) * (height - 40 - 30);
  const powers = [];
  for (let p = Math.ceil(left); p <= right; p += 1) powers.push(10 ** p);
  return s("svg", { class: "plot", viewBox: `0 0 ${width} ${height}`, width, height, role: "group", "aria-label": label },
    ticksOf(0, top, 5).map((tick) => [s("line", { class: "grid", x1: PAD.left, x2: width - PAD.right, y1: y(tick), y2: y(tick) }),
      s("text", { class: "tick", x: PAD.left - 6, y: y(tick) + 4, "text-anchor": "end" }, number(tick, 3))]),
    powers.map((tick) => s("text", { class: "tick", x: x(tick), y: height - 24, "text-anchor": "middle" }, number(tick, 3))),
    s("text", { class: "tick", x: width - PAD.right, y: height - 6, "text-anchor": "end" }, xName),
    s("text", { class: "tick", x: PAD.left, y: 10 }, yName),
    known.map((one) => { const dot = s("circle", { class: one.look, cx: x(one.x), cy: y(one.y), r: 4 }, s("title", {}, one.name)); return one.to ? s("a", { href: one.to, "aria-label": one.name }, dot) : dot; }));
}
