// What the reader has chosen stands in the address, so that a link brings it back.

const DEFAULTS = {
  view: "items", item: "", sort: "", down: "", find: "", route: "", only: "",
  level: "", span: "recent", low: "", high: "", keep: "", look: "",
};

let state = { ...DEFAULTS };

function readAddress() {
  const found = { ...DEFAULTS };
  for (const [name, value] of new URLSearchParams(location.hash.slice(1))) {
    if (name in DEFAULTS || name.startsWith("key.")) found[name] = value;
  }
  return found;
}

function addressOf(changes) {
  const words = new URLSearchParams();
  for (const [name, value] of Object.entries({ ...state, ...changes })) {
    if (value !== "" && value !== (DEFAULTS[name] || "")) words.set(name, value);
  }
  return `#${words}`;
}

// A step that the browser's way back undoes; with `quiet` the address changes without one.
function go(changes, quiet = false) {
  const address = addressOf(changes);
  if (quiet) location.replace(address);
  else location.hash = address;
}

// The address of an item; a scale that was set stays only where the reader keeps it.
function itemAddress(name) {
  return addressOf({ view: "item", item: name, ...(state.keep ? {} : { low: "", high: "" }) });
}

// Which level bands are shown of: a place among the levels, or -1 for all of them.
function levelPlace() {
  if (state.level === "all") return -1;
  const place = head.levels.findIndex((level) => String(level) === state.level);
  return place < 0 ? head.levels.length - 1 : place;
}

const onePlace = () => (levelPlace() < 0 ? head.levels.length - 1 : levelPlace());
const shownLevels = () => (levelPlace() < 0 ? head.levels.map((_, place) => place) : [levelPlace()]);
