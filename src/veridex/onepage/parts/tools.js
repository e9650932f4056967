// Elements, numbers as the reader's browser writes them, and what the page carries.

const SVG = "http://www.w3.org/2000/svg";

// Texts become text nodes, never markup: whatever an item is called, it is only a name.
function fill(node, attributes, children) {
  for (const [name, value] of Object.entries(attributes || {})) {
    if (name.startsWith("on")) node.addEventListener(name.slice(2), value);
    else if (value !== null && value !== undefined && value !== false) node.setAttribute(name, value === true ? "" : value);
  }
  for (const child of children.flat(Infinity)) {
    if (child !== null && child !== undefined && child !== "") node.append(child);
  }
  return node;
}

const h = (tag, attributes, ...children) => fill(document.createElement(tag), attributes, children);
const s = (tag, attributes, ...children) => fill(document.createElementNS(SVG, tag), attributes, children);

// A name may read from right to left; it must not turn what stands around it.
const named = (text) => h("bdi", {}, text);

const formats = new Map();

function formatted(value, options) {
  const key = JSON.stringify(options);
  if (!formats.has(key)) formats.set(key, new Intl.NumberFormat(undefined, options));
  return formats.get(key).format(value);
}

const isKnown = (value) => value !== null && value !== undefined && !Number.isNaN(value);

// So many digits that count, thousands grouped, millions in words, never a power of ten.
function number(value, digits = 4) {
  if (!isKnown(value)) return "–";
  const size = Math.abs(value);
  if (size >= 1e6 && digits < 6) return formatted(value, { notation: "compact", maximumSignificantDigits: 4 });
  const decimals = size > 0 ? Math.max(0, digits - 1 - Math.floor(Math.log10(size))) : 0;
  return formatted(value, { maximumFractionDigits: Math.min(decimals, 12) });
}

const percent = (value, digits = 3) => (isKnown(value) ? `${number(value, digits)}\u00a0%` : "–");
const quantity = (value) => (head.unit ? `${number(value)} ${head.unit}` : number(value));
const count = (n, noun) => `${number(n)} ${noun}${n === 1 ? "" : "s"}`;
const begun = (text) => text[0].toUpperCase() + text.slice(1);
const between = (low, high) => (isKnown(low) && isKnown(high) ? `${number(low)} to ${number(high)}` : "");

function bytesOf(text) {
  if (Uint8Array.fromBase64) return Uint8Array.fromBase64(text);
  const letters = atob(text);
  const bytes = new Uint8Array(letters.length);
  for (let i = 0; i < letters.length; i += 1) bytes[i] = letters.charCodeAt(i);
  return bytes;
}

// Bytes as JSON whose columns of numbers stand behind it: their lengths, powers of ten, and whole numbers in planes.
function opened(buffer) {
  const view = new DataView(buffer);
  const [words, columns] = [view.getUint32(0, true), view.getUint32(4, true)];
  const value = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 8, words)));
  const sizes = new Int32Array(buffer.slice(8 + words, 8 + words + 4 * columns));
  const powers = new Int32Array(buffer.slice(8 + words + 4 * columns, 8 + words + 8 * columns));
  const planes = new Uint8Array(buffer, 8 + words + 8 * columns);
  const all = planes.length / 4;
  const begins = [0];
  for (const size of sizes) begins.push(begins[begins.length - 1] + size);
  const column = (place) => {
    const [from, size, by] = [begins[place], sizes[place], 10 ** Math.abs(powers[place])];
    const found = new Array(size);
    for (let k = 0; k < size; k += 1) {
      const at = from + k;
      const whole = planes[at] | (planes[at + all] << 8) | (planes[at + 2 * all] << 16) | (planes[at + 3 * all] << 24);
      found[k] = whole === -2147483648 ? null : powers[place] >= 0 ? whole / by : whole * by;
    }
    return found;
  };
  return { value, column };
}

// A value with its columns in their places.
function restored(node, column) {
  if (Array.isArray(node)) return node.map((one) => restored(one, column));
  if (node === null || typeof node !== "object") return node;
  if ("#" in node) return column(node["#"]);
  const found = {};
  for (const [name, one] of Object.entries(node)) found[name] = restored(one, column);
  return found;
}

// A list of numbers as rows of so many.
function rowsOf(values, count) {
  const wide = count ? values.length / count : 0;
  return Array.from({ length: count }, (_, k) => values.slice(k * wide, (k + 1) * wide));
}

const unpacked = new Map();

// A block of the page, unpacked once.
function unpack(id) {
  if (!unpacked.has(id)) {
    const text = document.getElementById(id).textContent.trim();
    const stream = new Blob([bytesOf(text)]).stream().pipeThrough(new DecompressionStream("deflate"));
    unpacked.set(id, new Response(stream).arrayBuffer().then(opened));
  }
  return unpacked.get(id);
}

async function whole(id) {
  const { value, column } = await unpack(id);
  return restored(value, column);
}

// An item's page; bounds, contenders and errors by rows.
async function pageOf(place) {
  const { value, column } = await unpack(`data-items-${Math.floor(place / head.together)}`);
  const page = restored(value[place % head.together], column);
  for (const one of [page.ahead, page.total, page.holdout, ...(page.scenarios || [])]) {
    if (!one || !one.points) continue;
    const levels = (one.levels || head.levels).length;
    [one.lower, one.upper] = [rowsOf(one.lower, levels), rowsOf(one.upper, levels)];
    if (one.quantiles) one.quantiles = rowsOf(one.quantiles, head.quantiles.length);
  }
  if (page.rivals) {
    const { names, points, errors, won, reasons } = page.rivals;
    const own = rowsOf(points, names.length);
    page.rivals.each = names.map((name, k) => [name, own[k], errors[k], won.includes(k), reasons[k] || ""]);
  }
  if (page.steps) {
    const own = rowsOf(page.steps.errors, page.steps.names.length);
    page.steps.each = page.steps.names.map((name, k) => [name, own[k]]);
  }
  return page;
}

let head = null;
let table = null;
