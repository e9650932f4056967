// Tables behind pictures: read, copied with the reader's own decimal mark, saved as CSV with a point.

const DECIMAL = new Intl.NumberFormat().formatToParts(1.5).find((part) => part.type === "decimal").value;

const isNumber = (cell) => typeof cell === "number";

// A spreadsheet takes a text that begins like this for a formula.
const harmless = (text) => (/^[=+\-@\t\r]/.test(text) ? `'${text}` : text);

function asLines(columns, rows, mark, decimal) {
  const cell = (value) => {
    if (!isKnown(value)) return "";
    if (isNumber(value)) return String(value).replace(".", decimal);
    const text = harmless(String(value));
    return /["\r\n\t]/.test(text) || text.includes(mark) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return [columns, ...rows].map((row) => row.map(cell).join(mark)).join("\r\n");
}

async function copy(text) {
  try {
    await navigator.clipboard.writeText(text);
  } catch {
    const area = h("textarea", { class: "away", "aria-hidden": "true" }, text);
    document.body.append(area);
    area.select();
    document.execCommand("copy");
    area.remove();
  }
}

function save(name, text) {
  const address = URL.createObjectURL(new Blob(["\ufeff", text], { type: "text/csv" }));
  const link = h("a", { href: address, download: `${name.replace(/[^\p{L}\p{N}._-]+/gu, "_").slice(0, 80) || "table"}.csv` });
  link.click();
  setTimeout(() => URL.revokeObjectURL(address), 1000);
}

function cellOf(value) {
  if (isNumber(value)) return h("td", { class: "n" }, number(value));
  return h("td", {}, isKnown(value) && value !== "" ? (value instanceof Node ? value : named(value)) : "–");
}

function plainTable(caption, columns, rows) {
  const heads = columns.map((name, at) => h("th", { scope: "col", class: rows.some((row) => isNumber(row[at])) ? "n" : null }, name));
  return h("div", { class: "wide", tabindex: "0", role: "region", "aria-label": caption },
    h("table", {}, h("caption", {}, caption), h("thead", {}, h("tr", {}, heads)),
      h("tbody", {}, rows.map((row) => h("tr", {}, row.map(cellOf))))));
}

function takeAway(name, columns, rows) {
  const told = h("span", { class: "told", role: "status" });
  const plain = () => rows.map((row) => row.map((cell) => (cell instanceof Node ? cell.textContent : cell)));
  const copied = async () => { await copy(asLines(columns, plain(), "\t", DECIMAL)); told.textContent = "Copied."; };
  return h("p", { class: "take" },
    h("button", { type: "button", onclick: copied }, "Copy"),
    h("button", { type: "button", onclick: () => save(name, asLines(columns, plain(), ",", ".")) }, "Save as CSV"), told);
}

// The table under a picture, folded away until it is asked for; on paper those stand open that fit there.
function behind(caption, columns, rows, printed = false) {
  const inner = h("div", {});
  const open = () => { if (!inner.childNodes.length) inner.append(takeAway(caption, columns, rows), plainTable(caption, columns, rows)); };
  const found = h("details", { class: printed ? "behind printed" : "behind" }, h("summary", {}, `Figures: ${caption}`), inner);
  found.addEventListener("toggle", () => { if (found.open) open(); });
  found.openNow = () => { open(); found.open = true; };
  return found;
}

function shown(caption, columns, rows, whole) {
  const more = whole > rows.length ? h("p", { class: "small" }, `The first ${number(rows.length)} of ${number(whole)}.`) : "";
  return [takeAway(caption, columns, rows), plainTable(caption, columns, rows), more];
}
