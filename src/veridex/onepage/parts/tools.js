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
const between = (low, high) => (isKnown(low) && isKnown(high) ? `${number(low)} to ${number(high)}` : "");

function bytesOf(text) {
  if (Uint8Array.fromBase64) return Uint8Array.fromBase64(text);
  const letters = atob(text);
  const bytes = new Uint8Array(letters.length);
  for (let i = 0; i < letters.length; i += 1) bytes[i] = letters.charCodeAt(i);
  return bytes;
}

const unpacked = new Map();

// A block of the page, unpacked once.
function unpack(id) {
  if (!unpacked.has(id)) {
    const text = document.getElementById(id).textContent.trim();
    const stream = new Blob([bytesOf(text)]).stream().pipeThrough(new DecompressionStream("deflate"));
    unpacked.set(id, new Response(stream).json());
  }
  return unpacked.get(id);
}

async function pageOf(place) {
  const part = await unpack(`data-items-${Math.floor(place / head.together)}`);
  return part[place % head.together];
}

let head = null;
let table = null;
