// All items at once: a table of which only the rows in sight are drawn, sorted and filtered.

const ROW = 54;
const NARROW_ROW = 96;
const SPARE = 8;
const MOST_PRINTED = 2000;
const MOST_OPTIONS = 300;

const boundsAt = (bounds, i) => bounds[onePlace()].map((side) => side[i]);

// The columns: what they are called, what they sort by, what stands in a cell.
function columnsOf() {
  const banded = (value, bounds) => (i) => [h("span", { class: "v" }, number(table[value][i])),
    h("span", { class: "small" }, between(...boundsAt(table[bounds], i)))];
  const plain = (name, shown) => (i) => shown(table[name][i]);
  const found = [
    { key: "item", label: "Item", by: (i) => table.item[i], cell: itemCell, text: true },
    { key: "line", label: "Past and forecast", cell: lineCell },
    { key: "next", label: `Next ${head.noun}`, by: (i) => table.next[i], cell: banded("next", "next_bounds"), number: true },
    { key: "total", label: begun(head.summed), by: (i) => table.total[i], cell: banded("total", "total_bounds"), number: true },
  ];
  if (head.tested) {
    found.push(
      { key: "wape", label: "Error", title: "absolute error in percent of demand, as decided then", by: (i) => table.wape[i], cell: plain("wape", percent), number: true },
      { key: "added", label: "Value added", title: "percent less error than the benchmark", by: (i) => table.value_added[i], cell: plain("value_added", percent), number: true },
      { key: "held", label: "Held", title: "percent of actuals inside the band when tested", by: (i) => table.coverage[onePlace()][i], cell: (i) => percent(table.coverage[onePlace()][i]), number: true },
    );
  }
  if (head.watched) found.push({ key: "alerts", label: "Alerts", by: (i) => table.alerts[i], cell: plain("alerts", number), number: true });
  found.push({ key: "route", label: "Route", by: (i) => table.route[i], cell: (i) => table.route[i] || "–", text: true });
  for (const name of Object.keys(table.keys)) {
    found.push({ key: `key.${name}`, label: name, by: (i) => table.keys[name][i], cell: (i) => named(table.keys[name][i]), text: true, extra: true });
  }
  return found;
}

function itemCell(i) {
  const said = table.reason[i] ? table.reason[i] : table.method[i];
  const marks = [table.cautions[i] ? "caution" : "", table.overridden[i] ? "overridden" : ""].filter(Boolean).join(", ");
  return [h("a", { href: itemAddress(table.item[i]), class: "name" }, named(table.item[i])),
    h("span", { class: "small" }, marks ? `${said}; ${marks}` : said)];
}

// A small line of the latest demand in ink and the forecast in amber.
function lineCell(i) {
  const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  const [past, ahead] = table.line[i].map((text) => [...text].map((letter) => (letter === " " ? null : letters.indexOf(letter))));
  const whole = past.length + ahead.length || 1;
  const x = (p) => 2 + (p / Math.max(whole - 1, 1)) * 146;
  const y = (v) => 33 - (v / 63) * 30;
  return s("svg", { class: "small-line", viewBox: "0 0 150 36", width: 150, height: 36, "aria-hidden": "true" },
    s("path", { class: "line actual", d: pathOf(0, past, x, y) }), s("path", { class: "line forecast", d: pathOf(past.length, ahead, x, y) }));
}

// The places of the items that the filter leaves, in the order that is asked for.
function chosen() {
  const words = state.find.toLocaleLowerCase().split(/\s+/).filter(Boolean);
  const keys = Object.keys(state).filter((name) => name.startsWith("key.") && state[name] && table.keys[name.slice(4)]);
  const only = {
    alerts: (i) => table.alerts[i] > 0, cautions: (i) => table.cautions[i] > 0,
    nothing: (i) => table.reason[i] !== "", overridden: (i) => table.overridden[i] > 0,
  }[state.only];
  const texts = words.length ? chosen.texts || (chosen.texts = table.item.map((name, i) =>
    [name, table.route[i], table.method[i], ...Object.values(table.keys).map((own) => own[i])].join(" ").toLocaleLowerCase())) : null;
  const found = [];
  for (let i = 0; i < table.item.length; i += 1) {
    if (state.route && table.route[i] !== state.route) continue;
    if (only && !only(i)) continue;
    if (!keys.every((name) => table.keys[name.slice(4)][i] === state[name])) continue;
    if (texts && !words.every((word) => texts[i].includes(word))) continue;
    found.push(i);
  }
  return sorted(found);
}

function sorted(places) {
  const column = columnsOf().find((one) => one.key === state.sort && one.by);
  if (!column) return places;
  const compare = column.text ? new Intl.Collator(undefined, { numeric: true }).compare : (a, b) => a - b;
  const sign = state.down ? -1 : 1;
  return places.sort((a, b) => {
    const [left, right] = [column.by(a), column.by(b)];
    if (!isKnown(left) || !isKnown(right)) return isKnown(left) ? -1 : isKnown(right) ? 1 : a - b;  // the unknown always last
    return sign * compare(left, right) || a - b;
  });
}

const select = (label, name, options, changed) => h("label", {}, label,
  h("select", { onchange: (event) => changed(event.target.value) }, options.map(([value, text]) =>
    h("option", { value, selected: value === name }, text))));

function filters() {
  const typed = (event) => go({ find: event.target.value }, true);
  const routes = [...new Set(table.route)].filter(Boolean).sort();
  const only = [["", "everything"], ...(head.watched ? [["alerts", "with alerts"]] : []), ["cautions", "with a caution"],
    ["nothing", "without a forecast"], ["overridden", "overridden by a planner"]];
  const sorts = columnsOf().filter((one) => one.by).flatMap((one) => [[one.key, `${one.label}, rising`], [`${one.key}!`, `${one.label}, falling`]]);
  const keys = Object.entries(table.keys).map(([name, values]) => {
    const own = [...new Set(values)].sort();
    const set = (value) => go({ [`key.${name}`]: value });
    if (own.length <= MOST_OPTIONS) return select(name, state[`key.${name}`] || "", [["", "all"], ...own.map((value) => [value, value])], set);
    return h("label", {}, name, h("input", { type: "search", value: state[`key.${name}`] || "", placeholder: `one of ${number(own.length)}, in full`, onchange: (event) => set(event.target.value.trim()) }));
  });
  return h("form", { class: "filters", role: "search", "aria-label": "Items", onsubmit: (event) => event.preventDefault() },
    h("label", {}, "Find", h("input", { type: "search", value: state.find, oninput: typed, placeholder: "words of item, method, route" })),
    routes.length > 1 ? select("Route", state.route, [["", "all"], ...routes.map((one) => [one, one])], (value) => go({ route: value })) : "",
    select("Only", state.only, only, (value) => go({ only: value })), keys,
    select("Order", state.sort + (state.down && state.sort ? "!" : ""), [["", "as published"], ...sorts],
      (value) => go({ sort: value.replace("!", ""), down: value.endsWith("!") ? "yes" : "" })));
}

// How many are shown, and what they are together; bands of items do not add up, those of groups stand in the portfolio.
function together(places) {
  const shownNow = places.length === table.item.length ? `All ${count(places.length, "item")}` : `${number(places.length)} of ${count(table.item.length, "item")}`;
  if (!head.adds) return [h("b", {}, shownNow), `. ${head.measure} does not add up over items.`];
  // Items that end at another period than most look at other periods: theirs do not belong into one sum.
  const ends = new Map();
  for (const i of places) ends.set(table.known[i], (ends.get(table.known[i]) || 0) + 1);
  const usual = [...ends].sort((a, b) => b[1] - a[1] || b[0] - a[0]).map(([end]) => end)[0];
  const same = places.filter((i) => table.known[i] === usual);
  const sum = (name) => same.reduce((whole, i) => whole + (table[name][i] || 0), 0);
  const without = same.filter((i) => !isKnown(table.total[i])).length;
  const elsewhere = places.length - same.length;
  return [h("b", {}, shownNow), ` together: next ${head.noun} `, h("b", {}, quantity(sum("next"))), `, ${head.summed} `, h("b", {}, quantity(sum("total"))),
    elsewhere ? `; without ${count(elsewhere, "item")} known until another ${head.noun} than ${head.periods[usual]}` : "",
    without ? `; ${number(without)} without a total` : "", ". Bands of items do not add up; groups have theirs under ", h("a", { href: addressOf({ view: "portfolio" }) }, "Portfolio"), "."];
}

function heads(columns) {
  return h("tr", { role: "row" }, columns.map((one) => {
    const own = state.sort === one.key;
    const next = own ? (state.down ? { sort: "", down: "" } : { down: "yes" }) : { sort: one.key, down: one.number ? "yes" : "" };
    const mark = own ? (state.down ? " ↓" : " ↑") : "";
    return h("th", { role: "columnheader", scope: "col", class: `c-${one.key.split(".")[0]}${one.number ? " n" : ""}`, title: one.title,
      "aria-sort": own ? (state.down ? "descending" : "ascending") : null },
    one.by ? h("button", { type: "button", onclick: () => go(next) }, one.label + mark) : one.label);
  }));
}

function showItems(main) {
  const columns = columnsOf();
  const status = h("p", { class: "status", role: "status" });
  const top = h("thead", { role: "rowgroup" });
  const body = h("tbody", { role: "rowgroup" });
  const sheet = h("table", { class: "items", role: "table", "aria-label": head.title }, top, body);
  const window_ = h("div", { class: "window", tabindex: "0", role: "region", "aria-label": "Table of items" }, sheet);
  let places = [];
  let drawn = "";
  const rowHeight = () => (window.innerWidth <= 640 ? NARROW_ROW : ROW);
  const row = (i, at) => h("tr", { role: "row", "aria-rowindex": at + 2, style: null }, columns.map((one) =>
    h("td", { role: "cell", class: `c-${one.key.split(".")[0]}${one.number ? " n" : ""}`, "data-label": one.label }, one.cell(i))));
  const space = (rows) => {
    const blank = h("td", { colspan: columns.length });
    blank.style.height = `${rows * rowHeight()}px`;
    return h("tr", { class: "space", "aria-hidden": "true" }, blank);
  };
  const draw = (all = false) => {
    const first = all ? 0 : Math.max(0, Math.floor(window_.scrollTop / rowHeight()) - SPARE);
    const last = all ? Math.min(places.length, MOST_PRINTED) : Math.min(places.length, Math.ceil((window_.scrollTop + window_.clientHeight) / rowHeight()) + SPARE);
    const key = `${first} ${last}`;
    if (key === drawn && !all) return;
    drawn = all ? "" : key;
    cutShort.textContent = all && places.length > last ? `The first ${number(last)} of ${count(places.length, "item")}: filter the page before printing it to print others.` : "";
    if (!places.length) {
      body.replaceChildren(h("tr", { role: "row" }, h("td", { role: "cell", class: "c-item", colspan: columns.length }, "No item is left. ", h("a", { href: "#" }, "Show all"))));
      return;
    }
    body.replaceChildren(space(first), ...places.slice(first, last).map((i, k) => row(i, first + k)), space(all ? 0 : places.length - last));
  };
  const renew = () => {
    places = chosen();
    order = places;
    drawn = "";
    top.replaceChildren(heads(columns));
    sheet.setAttribute("aria-rowcount", places.length + 1);
    status.replaceChildren(...together(places));
    draw();
  };
  window_.addEventListener("scroll", () => requestAnimationFrame(() => draw()), { passive: true });
  const cutShort = h("p", { class: "on-paper" });
  main.replaceChildren(filters(), status, window_, cutShort);
  renew();
  return { renew, print: () => draw(true), resize: () => { drawn = ""; draw(); } };
}

// The places in the order they were last shown in: what "next item" goes by.
let order = null;
