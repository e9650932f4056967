// The portfolio: what is expected in all, how sure that is, how good it was, what came, what changed.

async function showPortfolio(main) {
  const all = await whole("data-portfolio");
  if (state.view !== "portfolio") return {};
  const width = widthOf(main);
  main.replaceChildren(h("h2", {}, "Portfolio"), groupsPart(all, width), volumePart(width), standingsPart(all, width), coveragePart(all, width),
    watchPart(all), recordPart(all), changesPart(all), factsPart(all));
  return { print: () => main.querySelectorAll("details.printed").forEach((one) => one.openNow()), resize: () => showPortfolio(main) };
}

let allNames = null;

// Names of items are gathered once, not row by row.
function itemLinks(rows) {
  allNames = allNames || new Set(table.item);
  return rows.map(([name, ...cells]) => [allNames.has(name) ? h("a", { href: itemAddress(name) }, named(name)) : name, ...cells]);
}

function groupsPart(all, width) {
  if (!all.groups) {
    return section("Totals", h("p", {}, head.adds ? "No totals of groups were published: publish with groups for totals with their own bands." : `${head.measure} does not add up over items.`));
  }
  const at = onePlace();
  const rows = all.groups.map((one) => {
    const last = one.points.length - 1;
    const name = one.column && table.keys[one.column] ? h("a", { href: addressOf({ view: "items", item: "", [`key.${one.column}`]: one.value }) }, named(one.name)) : named(one.name);
    return [name, one.items, one.points[last], one.lower[at][last], one.upper[at][last], one.season && one.season.length === last + 1 ? one.season[last] : null, one.reason];
  });
  const from = head.totals_from;
  const span = from > 1 ? `lead times ${number(from)} to ${number(head.horizon)}` : `next ${number(head.horizon)} ${head.plural}`;
  const shownGroup = all.groups.find((one) => one.column === "") || all.groups[0];
  const lines = [];
  if (shownGroup.season && shownGroup.season.length) lines.push({ start: shownGroup.start, values: shownGroup.season, look: "last", name: `${number(head.season)} ${head.plural} before, added up` });
  lines.push({ start: shownGroup.start, values: shownGroup.points, look: "forecast", name: `${shownGroup.name}: demand so far` });
  const bands = bandsOf(shownGroup.start, shownGroup, head.levels, shownLevels(), head.levels.map(() => "interval of the total"));
  return section("Totals", h("p", {}, "Each total has a band of its own, from how errors of items went together when they were tested."),
    timeline({ label: `${shownGroup.name}: demand added up from ${head.periods[shownGroup.start + from - 1]} on`, first: shownGroup.start + from - 1, stop: shownGroup.start + shownGroup.points.length, lines, bands, width, height: 260 }),
    shown("totals of groups", ["group", "items", span, `lower ${head.levels[at]}`, `upper ${head.levels[at]}`, "a season before", "remark"], rows, rows.length));
}

const MOST_LINKS = 500;

function volumePart(width) {
  if (!head.tested) return [];
  const expected = `expected ${head.summed}`;
  const points = table.item.map((name, i) => ({ name, x: table.total[i], y: table.wape[i], look: table.value_added[i] < 0 ? "dot worse" : "dot", to: table.item.length <= MOST_LINKS ? itemAddress(name) : null }));
  const rows = table.item.map((name, i) => [name, table.total[i], table.wape[i], table.value_added[i]]).filter((row) => isKnown(row[2])).sort((a, b) => b[1] * b[2] - a[1] * a[2]);
  if (!rows.length) return [];
  const left = points.filter((one) => isKnown(one.y) && !(one.x > 0)).length;
  return section("Items by volume and error", h("p", {}, "Error in percent of demand against what is expected; those that did worse than the benchmark are ringed. What lies far above stands at the upper edge.", left ? ` ${count(left, "item")} of which nothing is expected ${left === 1 ? "has" : "have"} no place here.` : ""),
    scatter({ label: "Items by volume and error", points, xName: head.unit ? `${expected} (${head.unit})` : expected, yName: "error, percent of demand", width }),
    behind("items by what their errors weigh", ["item", expected, "error in percent", "value added"], rows, rows.length <= MOST_LINKS));
}

function standingsPart(all, width) {
  const found = all.standings;
  if (!found) return [];
  const base = found.rows.find((row) => row[0] === found.base);
  const known = found.rows.filter((row) => isKnown(row[1]));
  const most = 2 * Math.max(base ? base[1] : 0, ...known.slice(0, 1).map((row) => row[1]));
  const right = Math.min(Math.max(...known.map((row) => row[1])), most) * 1.08;
  const wide = width > 560;
  const [left, line] = [wide ? 200 : 8, wide ? 28 : 44];
  const x = (v) => left + (Math.min(Math.max(v, 0), right) / right) * (width - left - 70);
  const y = (k) => (wide ? 20 : 30) + k * line;
  const height = y(known.length) + 14;
  const marks = known.map((row, k) => {
    const [name, value, , below, above] = row;
    const look = k === 0 ? "first" : name === found.base ? "base" : "rival";
    return [s("text", { class: "label", x: wide ? left - 8 : left, y: wide ? y(k) + 4 : y(k) - 12, "text-anchor": wide ? "end" : "start" }, name.length > 28 ? `${name.slice(0, 27)}…` : name),
      isKnown(below) && base ? s("line", { class: `reach ${look}`, x1: x(base[1] + below), x2: x(base[1] + above), y1: y(k), y2: y(k) }) : "",
      value > right ? s("path", { class: `dot ${look}`, d: `M${x(right) - 5} ${y(k) - 5}l10 5l-10 5z` }) : s("circle", { class: `dot ${look}`, cx: x(value), cy: y(k), r: 5 }), s("text", { class: "tick", x: width - 4, y: y(k) + 4, "text-anchor": "end" }, number(value, 3))];
  });
  const drawing = s("svg", { class: "plot", viewBox: `0 0 ${width} ${height}`, width, height, role: "img", "aria-label": "Standings of the methods" },
    base ? s("line", { class: "rule", x1: x(base[1]), x2: x(base[1]), y1: 4, y2: height - 8 }) : "", marks);
  const rows = found.rows.map(([name, value, added, below, above, cells, reason]) => [name, value, added, below, above, cells, reason]);
  return section("Standings", h("p", {}, `Mean ${found.measure.toUpperCase()} over items on ${number(found.rows[0][5])} shared cells; smaller is better. `,
    base ? `Lines: 95 % interval of the distance from ${found.base}, the benchmark (dotted); one that stays left of it beats it.` : "Intervals need the trial: none was given to this page.", known.some((row) => row[1] > right) ? " Arrows lie beyond the scale." : ""),
  drawing, behind("standings", ["method", found.measure, "value added", "distance from the benchmark, lower", "upper", "cells", "reason"], rows, true));
}

function coveragePart(all, width) {
  if (!all.coverage) return [];
  const levels = [...new Set(all.coverage.map((one) => one.level))].sort((a, b) => a - b);
  const low = Math.min(...all.coverage.map((one) => one.numbers[3]), ...levels) - 4;
  const narrow = Math.min(width, 560);
  const x = (v) => 90 + ((v - Math.max(low, 0)) / (101 - Math.max(low, 0))) * (narrow - 110);
  const kinds = ["calibrated", "model"].filter((kind) => all.coverage.some((one) => one.kind === kind));
  const height = 46 + levels.length * (18 + 26 * kinds.length);
  let y = 14;
  const marks = levels.map((level) => {
    const top = y;
    const own = kinds.map((kind) => {
      const one = all.coverage.find((row) => row.kind === kind && row.level === level);
      y += 26;
      if (!one) return "";
      const [held, , , from, to] = one.numbers;
      return [s("text", { class: "label", x: 82, y: y - 4, "text-anchor": "end" }, kind), s("line", { class: `middle ${kind}`, x1: x(from), x2: x(to), y1: y - 8, y2: y - 8 }),
        s("circle", { class: `dot ${kind}`, cx: x(held), cy: y - 8, r: 6 }), s("text", { class: "tick", x: x(held), y: y + 10, "text-anchor": "middle" }, number(held, 3))];
    });
    y += 18;
    return [s("line", { class: "rule", x1: x(level), x2: x(level), y1: top, y2: y - 10 }), s("text", { class: "tick", x: x(level), y: top - 2, "text-anchor": "middle" }, `${number(level)} %`), own];
  });
  const rows = all.coverage.map((one) => [one.kind, one.level, ...one.numbers, one.items, one.cells]);
  return section("What intervals held", h("p", {}, "Percent of actuals inside, made by what was known at each origin; the dotted line is what the level claims, the thick line the middle half of the items. Left of it bands were too narrow."),
    s("svg", { class: "plot", viewBox: `0 0 ${narrow} ${height}`, width: narrow, height, role: "img", "aria-label": "What intervals held against their level" }, marks),
    behind("what intervals held", ["kind", "level", "held", "below", "above", "quarter of items under", "quarter over", "items", "cells"], rows));
}

function watchPart(all) {
  const found = all.watch;
  if (!found) return [];
  const part = (title, one) => (one.rows.length ? [h("h4", {}, title), shown(title.toLowerCase(), one.columns, itemLinks(one.rows), one.all)] : "");
  return section("The last watch", h("p", {}, found.words), part("Alerts", found.alerts), part("Items with alerts or bias", found.items),
    found.groups.rows.length ? [h("h4", {}, "Groups so far"), shown("groups so far", found.groups.columns, found.groups.rows, found.groups.all)] : "");
}

function recordPart(all) {
  const found = all.record;
  if (!found) return [];
  const part = (title, one) => (one ? [h("h4", {}, title), shown(title.toLowerCase(), one.columns, one.rows, one.rows.length)] : "");
  const added = found.added && { columns: [...found.added.columns, "value added"], rows: found.added.rows.map((row, k) => [...row, found.added.gains[k]]) };
  return section("Track record", h("p", {}, found.words), part("Value added", added), part("Intervals held", found.coverage), part("Errors by lead time", found.steps));
}

function changesPart(all) {
  const found = all.changes;
  if (!found) return [];
  const list = (title, names) => (names.length ? h("p", {}, `${title}: `, names.map((name, k) => [k ? ", " : "", named(name)])) : "");
  const said = `The publication before knew demand until ${found.known} (made ${found.made}). Of ${count(found.all, "item")} in both, ${number(found.methods)} have another method; forecasts of the same ${head.plural} moved by ${percent(found.moved)} in the middle.`;
  return section("What has changed", h("p", {}, said), list("New", found.new), list("No longer published", found.gone),
    found.rows.length ? shown("changes", found.columns.map((name) => (name === "moved" ? "moved, percent" : name)), itemLinks(found.rows.map((row) => row.slice(0, 6))), found.all) : "");
}

const factsPart = (all) => section("How it was made", h("dl", { class: "facts" }, all.facts.map(([name, value]) => h("div", {}, h("dt", {}, name), h("dd", {}, value)))));
