// One item: its forecast, what came when it was held back, contenders, errors, and everything said of it.

const START_SEASONS = 4;

const widthOf = (main) => Math.max(280, Math.min(main.clientWidth, 1280));

const bandLook = (place) => `b${Math.min(place, 3)}`;

// The periods in sight: all, or the last seasons with what lies ahead.
function spanOf(page, place) {
  const stop = table.known[place] + 1 + (page.ahead ? page.ahead.points.length : 0);
  const usual = table.known[place] + 1 - Math.max(START_SEASONS * Math.max(head.season, 1), 3 * head.horizon, 6);
  return [state.span === "all" ? page.start : Math.max(page.start, usual), Math.max(stop, page.start + 1)];
}

function bandsOf(start, found, levels, places, said = null) {
  return places.filter((at) => found.lower[at]).sort((a, b) => b - a).map((at) => ({
    start, lower: found.lower[at], upper: found.upper[at], look: bandLook(at),
    name: `${number(levels[at])} % ${said ? said[at] : "interval"}`,
  }));
}

// The forecast; where only some lead times were tested the others are dashed, and said.
function forecastLines(page, start) {
  const points = page.ahead.points;
  const [first, stop] = page.tested;
  const part = (own) => points.map((value, k) => (own(k + 1) ? value : null));
  const tested = (lead) => lead >= first && lead < stop;
  if (!points.some((_, k) => tested(k + 1)) || points.every((_, k) => tested(k + 1))) return [{ start, values: points, look: "forecast", name: "forecast" }];
  return [{ start, values: part(tested), look: "forecast", name: "forecast" },
    { start, values: part((lead) => !tested(lead)), look: "forecast dashed", name: "forecast, lead time not tested" }];
}

function forecastPicture(page, place, width) {
  const [first, stop] = spanOf(page, place);
  const start = table.known[place] + 1;
  const turn = head.season > 1 && page.past && page.past.length >= head.season && page.ahead
    ? page.past.slice(page.past.length - head.season).slice(0, page.ahead.points.length) : [];
  const lines = [];
  if (turn.length) lines.push({ start, values: turn, look: "last", name: `${number(head.season)} ${head.plural} before` });
  lines.push({ start: page.start, values: page.past || [], look: "actual", name: "actual" });
  if (page.before) lines.push({ start: page.before.start, values: page.before.points, look: "contender dashed", name: page.before.method ? `as published before (${page.before.method})` : "as published before" });
  if (page.ahead) lines.push(...forecastLines(page, start));
  (page.ahead ? page.ahead.quantiles : []).forEach((values, k) => lines.push({ start, values, look: "quantile", name: `${number(head.quantiles[k])} % quantile` }));
  (page.scenarios || []).forEach((one, k) => lines.push({ start, values: one.points, look: k % 2 ? "other dashed" : "contender dashed", name: `if ${one.name}` }));
  const bands = page.ahead ? bandsOf(start, page.ahead, head.levels, shownLevels(), page.held) : [];
  return timeline({ label: page.heading, first, stop, lines, bands, width, height: 320 });
}

// Each lead time with its bounds, its total, and what stands beside it.
function forecastTable(page, place) {
  const { points, lower, upper, error, quantiles } = page.ahead;
  const start = table.known[place] + 1;
  const columns = ["period", "lead time", "forecast", "std error", ...head.levels.flatMap((level) => [`lower ${level}`, `upper ${level}`]),
    ...head.quantiles.map((one) => `quantile ${one}`), ...(page.total ? ["total so far"] : []), ...(page.beside || []).map(([role, name]) => `${role}: ${name}`), "tested"];
  const rows = points.map((value, k) => [head.periods[start + k], k + 1, value, error[k], ...head.levels.flatMap((_, at) => [lower[at][k], upper[at][k]]),
    ...quantiles.map((own) => own[k]), ...(page.total ? [page.total.points[k]] : []), ...(page.beside || []).map(([, , own]) => own[k]), k + 1 >= page.tested[0] && k + 1 < page.tested[1] ? "yes" : "no"]);
  return behind("forecast", columns, rows, true);
}

function pastTable(page) {
  return behind("history", ["period", "actual"], (page.past || []).map((value, k) => [head.periods[page.start + k], value]));
}

// Two pictures beside each other where there is room for them.
function pair(width, ...makers) {
  const half = width > 900 ? Math.floor((width - 28) / 2) : width;
  return h("div", { class: width > 900 ? "pair" : null }, makers.map((make) => make(half)));
}

function totalPicture(page, place, width) {
  const total = page.total;
  if (!total || !inside(total.points).length || total.points.length < 2) return [];
  const start = table.known[place] + 1;
  const skipped = head.totals_from - 1;
  const said = `${head.adds ? "Added up" : "The mean"} from ${skipped ? head.periods[start + skipped] : "here"} on`;
  const bands = bandsOf(start, total, head.levels, shownLevels());
  const lines = [{ start, values: total.points, look: "forecast", name: head.adds ? "demand so far" : "mean so far" }];
  const rows = total.points.map((value, k) => [head.periods[start + k], k + 1, value, ...head.levels.flatMap((_, at) => [total.lower[at][k], total.upper[at][k]])]);
  return section(said, total.reason ? h("p", { class: "small" }, total.reason) : "",
    timeline({ label: said, first: start + skipped, stop: start + total.points.length, lines, bands, width, height: 220 }),
    behind("totals", ["period", "up to lead time", "total", ...head.levels.flatMap((level) => [`lower ${level}`, `upper ${level}`])], rows, true));
}

const section = (title, ...inner) => h("section", {}, h("h3", {}, title), inner);

function holdoutPicture(page, width) {
  const held = page.holdout;
  if (!held) return [];
  if (!held.points) return section("Held back and forecast", h("p", {}, `${held.name}: ${held.reason}.`));
  const stop = held.start + held.points.length;
  const first = Math.max(page.start, held.start - Math.max(2 * head.season, held.points.length, 6));
  const places = levelPlace() < 0 ? held.levels.map((_, at) => at) : held.levels.map((level, at) => [level, at]).filter(([level]) => level === head.levels[levelPlace()]).map(([, at]) => at);
  const bands = bandsOf(held.start, held, held.levels, places.length ? places : held.levels.map((_, at) => at), held.levels.map(() => held.bands));
  const came = held.points.map((_, k) => page.past[held.start + k - page.start]);
  const lines = [{ start: page.start, values: page.past, look: "actual", name: "actual" }, { start: held.start, values: held.points, look: "forecast", name: held.name }];
  const rows = held.points.map((value, k) => [head.periods[held.start + k], came[k], value, isKnown(came[k]) && isKnown(value) ? Number((came[k] - value).toPrecision(6)) : null,
    ...held.levels.flatMap((_, at) => [held.lower[at][k], held.upper[at][k]])]);
  const errors = inside(rows.map((row) => row[3]));
  const mean = errors.length ? errors.reduce((a, b) => a + Math.abs(b), 0) / errors.length : null;
  return section("Held back and forecast",
    h("p", {}, `Made at the end of ${head.periods[held.start - 1]}, by what was known then; mean absolute error ${number(mean, 3)} over ${count(errors.length, head.noun)}.`),
    timeline({ label: `Forecast made at the end of ${head.periods[held.start - 1]} over what came`, first, stop, lines, bands, ground: [held.start, stop], width, height: 280 }),
    behind("held back", ["period", "actual", "forecast", "error", ...held.levels.flatMap((level) => [`lower ${level}`, `upper ${level}`])], rows, true));
}

function scaleForm() {
  const field = (label, name) => h("label", {}, label, h("input", { type: "number", step: "any", id: `scale-${name}`, value: state[name], onchange: (event) => go({ [name]: event.target.value }) }));
  return h("form", { class: "filters", "aria-label": "Scale of the contenders", onsubmit: (event) => event.preventDefault() }, field("Scale from", "low"), field("to", "high"),
    h("label", { class: "check" }, h("input", { type: "checkbox", id: "scale-keep", checked: state.keep !== "", onchange: (event) => go({ keep: event.target.checked ? "yes" : "" }) }), "keep it from item to item"),
    state.low || state.high ? h("button", { type: "button", onclick: () => go({ low: "", high: "" }) }, "Own scale again") : "");
}

// A panel for each method on one scale: what is published stands first and in amber.
function contenders(page, width) {
  const rivals = page.rivals;
  if (!rivals || !rivals.each.length) return [];
  const stop = rivals.start + Math.max(...rivals.each.map(([, points]) => points.length));
  const first = Math.max(page.start, rivals.start - Math.max(2 * head.season, stop - rivals.start, 6));
  const own = limitsOf([cut(page.start, page.past, first, stop), ...rivals.each.map(([, points]) => points)]);
  const scale = [state.low === "" ? own[0] : Number(state.low), state.high === "" ? own[1] : Number(state.high)];
  const across = width > 900 ? 3 : width > 560 ? 2 : 1;
  const wide = Math.floor((width - (across - 1) * 14) / across);
  const panels = rivals.each.map(([name, points, error, won, reason]) => h("figure", { class: won ? "panel won" : "panel" },
    h("figcaption", {}, named(name), h("span", { class: "small" }, isKnown(error) ? `error ${number(error, 3)}${won ? ", published" : ""}` : reason || "not tested in all cells")),
    timeline({ label: `${name}: forecast over what came`, first, stop, small: true, scale, width: wide, height: 150, ground: [rivals.start, stop],
      lines: [{ start: page.start, values: page.past, look: "actual thin" }, { start: rivals.start, values: points, look: won ? "forecast" : "contender" }] })));
  const columns = ["period", "actual", ...rivals.each.map(([name]) => name)];
  const rows = [];
  for (let p = rivals.start; p < stop; p += 1) rows.push([head.periods[p], page.past[p - page.start], ...rivals.each.map(([, points]) => points[p - rivals.start])]);
  return section("Contenders on one scale", h("p", {}, `Forecasts made at the end of ${head.periods[rivals.start - 1]}, and what came; the smallest error first (${rivals.measure.toUpperCase()}${rivals.all > rivals.each.length ? `; the first ${number(rivals.each.length)} of ${number(rivals.all)}` : ""}).`),
    scaleForm(), h("div", { class: `panels across${across}` }, panels), behind("contenders", columns, rows));
}

// Errors by lead time: the published one in amber, the next best in teal and plum, the others in the table.
function stepsPicture(page, width) {
  const steps = page.steps;
  if (!steps || !steps.each.length || steps.each[0][1].length < 2) return [];
  const mean = (values) => { const known = inside(values); return known.length ? known.reduce((a, b) => a + b, 0) / known.length : Infinity; };
  const won = (page.rivals.each.find(([, , , first]) => first) || [""])[0];
  const ranked = steps.each.slice().sort((a, b) => (b[0] === won) - (a[0] === won) || mean(a[1]) - mean(b[1]));
  const looks = ["forecast", "contender", "other", "contender dashed", "other dashed"];
  const lines = ranked.slice(0, looks.length).map(([name, values], k) => ({ start: 0, values, name, look: k || name === won ? looks[k] : "contender" })).reverse();
  const names = steps.each[0][1].map((_, k) => `${k + 1}`);
  const drawing = timeline({ label: "Mean absolute error by lead time", first: 0, stop: names.length, lines, width, height: 280, names });
  const rows = steps.each[0][1].map((_, k) => [k + 1, ...steps.each.map(([, values]) => values[k])]);
  return section("Error by lead time", h("p", {}, `Mean absolute error of ${count(steps.origins, "origin")}, on the cells that all have, in ${head.unit || "units of demand"}; lead time in ${head.plural}.${ranked.length > looks.length ? ` The best ${number(looks.length)} are drawn; the figures have all ${number(ranked.length)}.` : ""}`),
    drawing, behind("errors by lead time", ["lead time", ...steps.each.map(([name]) => name)], rows));
}

function facts(page, place) {
  const rows = [];
  const add = (name, value) => { if (value !== "" && value !== null && value !== undefined) rows.push(h("div", {}, h("dt", {}, name), h("dd", {}, value))); };
  const at = onePlace();
  add(`Next ${head.noun}`, `${number(table.next[place])}${between(...boundsAt(table.next_bounds, place)) && ` (${head.levels[at]} %: ${between(...boundsAt(table.next_bounds, place))})`}`);
  add(begun(head.summed), `${number(table.total[place])}${between(...boundsAt(table.total_bounds, place)) && ` (${head.levels[at]} %: ${between(...boundsAt(table.total_bounds, place))})`}`);
  add("Method", table.method[place]);
  add("Route", table.route[place]);
  if (page.scores) {
    const [error, base, added, bias, mae, wape] = page.scores.numbers;
    const known = page.scores.origins ? `, as decided then at ${count(page.scores.origins, "origin")} (${count(page.scores.windows, "separate window")})` : "";
    add("Error", isKnown(error) ? `${page.scores.measure.toUpperCase()} ${number(error, 3)}${page.scores.benchmark ? ` against ${number(base, 3)} of ${page.scores.benchmark}` : ""}${known}` : "not available: no origin could be decided by what was known");
    if (isKnown(added)) add("Value added", `${percent(added)} less error than the benchmark`);
    if (isKnown(wape)) add("In units", `mean absolute error ${number(mae, 3)}, ${percent(wape)} of demand; bias ${percent(bias)}`);
    add("Not met", page.scores.unmet.join("; "));
  }
  const held = head.levels.map((level, k) => [level, table.coverage[k][place]]).filter(([, share]) => isKnown(share));
  if (held.length) add("Held when tested", held.map(([level, share]) => `${percent(share)} inside ${percent(level)}`).join(", "));
  if (isKnown(table.alerts[place])) add("Alerts", number(table.alerts[place]));
  for (const [name, values] of Object.entries(table.keys)) add(name, values[place] && named(values[place]));
  return h("dl", { class: "facts" }, rows);
}

function told(page) {
  const lines = (text) => text.split("\n").map((line) => h("p", {}, line));
  const found = [];
  if (page.cautions) found.push(h("div", { class: "caution", role: "note" }, h("b", {}, "Caution. "), page.cautions.join("; ")));
  if (page.reason) found.push(h("p", { class: page.ahead && inside(page.ahead.points).length ? "small" : "caution" }, page.reason));
  if (page.override) found.push(h("div", { class: "override", role: "note" }, h("b", {}, "Overridden by a planner. "), page.override[0], page.override[1] ? ` (instead of ${page.override[1]})` : ""));
  return { first: found, why: page.why ? section("Why this is published", lines(page.why)) : [],
    model: page.words || page.equation ? section("What it is", page.words ? lines(page.words.replaceAll(" [", "\n[")) : "", page.equation ? h("pre", { tabindex: "0", "aria-label": "Equation" }, page.equation) : "", page.method ? h("p", { class: "small" }, "As it is written: ", h("code", {}, page.method)) : "") : [] };
}

function cameTable(page) {
  if (!page.came) return [];
  const rows = page.came.map(([period, actual, forecast, low, high, side, alert]) => [period, actual, forecast, low, high, alert ? `${side || "beyond tolerance"}, alert` : side]);
  return section("What came since the publication before", page.came_words ? h("p", {}, page.came_words) : "",
    shown("what came", ["period", "actual", "forecast", "lower", "upper", "outside"], rows, rows.length));
}

function ledgerTable(page) {
  if (!page.ledger) return [];
  const rows = page.ledger.map(([period, before, after, what, why]) => [period, what, before, after, why]);
  return section("What was tidied", shown("repairs", ["period", "what", "before", "after", "why"], rows, rows.length));
}

// The way to the neighbours, in the order the table was shown in last.
function steps(place) {
  const row = order || chosen();
  const at = row.indexOf(place);
  const link = (to, text, rel) => (row[to] === undefined || at < 0 ? h("span", { class: "gone" }, text) : h("a", { href: itemAddress(table.item[row[to]]), rel }, text));
  return h("nav", { class: "steps", "aria-label": "Items" }, h("a", { href: addressOf({ view: "items", item: "" }) }, "← All items"), link(at - 1, "Previous", "prev"), link(at + 1, "Next", "next"),
    at >= 0 ? h("span", { class: "small" }, `${number(at + 1)} of ${number(row.length)}`) : "");
}

function spans() {
  const one = (value, text) => h("label", { class: "check" }, h("input", { type: "radio", name: "span", id: `span-${value}`, value, checked: state.span === value, onchange: () => go({ span: value }) }), text);
  return h("fieldset", { class: "filters" }, h("legend", { class: "away" }, "Span"), one("recent", "the recent past"), one("all", "all of it"));
}

async function showItem(main, name) {
  const place = table.item.indexOf(name);
  if (place < 0) {
    main.replaceChildren(h("h2", {}, "No such item"), h("p", {}, "This page has no item called ", named(name), ". ", h("a", { href: addressOf({ view: "items", item: "" }) }, "All items")));
    return {};
  }
  const page = await pageOf(place);
  if (state.view !== "item" || state.item !== name) return {};
  const width = widthOf(main);
  const narrow = width < 600;  // a picture first where there is little room
  const { first, why, model } = told(page);
  main.replaceChildren(steps(place), h("h2", {}, named(name)), h("p", { class: "lead" }, page.heading.startsWith(name) ? page.heading.slice(name.length).replace(/^[:,] */, "") : page.heading), first,
    narrow ? "" : facts(page, place), h("section", {}, h("h3", {}, "Forecast"), spans(), forecastPicture(page, place, width),
      page.ahead ? forecastTable(page, place) : "", pastTable(page)), narrow ? facts(page, place) : "",
    pair(width, (half) => holdoutPicture(page, half), (half) => stepsPicture(page, half)), contenders(page, width), totalPicture(page, place, width), why, model, cameTable(page), ledgerTable(page));
  return { print: () => main.querySelectorAll("details.printed").forEach((one) => one.openNow()), resize: () => showItem(main, name) };
}
