// The frame around the views, and the way between them.

let view = {};
let shownKey = "";

// Built once, so that whoever stands on a control stays there.
function buildHead() {
  const link = (to, text) => h("a", { "data-view": to }, text);
  const levels = [...head.levels.map((level) => [String(level), `${number(level)} %`]), ...(head.levels.length > 1 ? [["all", "all levels"]] : [])];
  const widest = String(head.levels[head.levels.length - 1]);
  document.getElementById("head").replaceChildren(
    h("div", { class: "title" }, h("h1", {}, head.title), h("p", { class: "small" }, `${head.measure}; known until ${head.known}${head.tested ? "" : "; not tested"}`)),
    h("nav", { "aria-label": "Views" }, link("items", "All items"), link("portfolio", "Portfolio")),
    h("div", { class: "choices" }, select("Band", "", levels, (value) => go({ level: value === widest ? "" : value })),
      select("Look", "", [["", "as the system"], ["light", "light"], ["dark", "dark"]], (value) => go({ look: value }))));
}

function renewHead() {
  for (const link of document.querySelectorAll("#head a")) {
    link.href = addressOf({ view: link.dataset.view, item: "" });
    if (state.view === link.dataset.view) link.setAttribute("aria-current", "page");
    else link.removeAttribute("aria-current");
  }
  const [band, look] = document.querySelectorAll("#head select");
  band.value = levelPlace() < 0 ? "all" : String(head.levels[levelPlace()]);
  look.value = state.look;
}

function dress() {
  const dark = state.look ? state.look === "dark" : window.matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.look = dark ? "dark" : "light";
}

// What of the address asks for a view to be built anew; the filters alone do not.
const viewKey = () => [state.view, state.item, state.level, state.span, state.low, state.high, state.keep].join("\n");

async function show(first = false) {
  const before = state.view + state.item;
  state = readAddress();
  dress();
  renewHead();
  const main = document.getElementById("main");
  if (viewKey() === shownKey && view.renew) { view.renew(); return; }
  shownKey = viewKey();
  const stood = document.activeElement && document.activeElement.id;
  if (state.view === "item") view = await showItem(main, state.item);
  else if (state.view === "portfolio") view = await showPortfolio(main);
  else view = showItems(main);
  document.title = state.view === "item" ? `${state.item} – ${head.title}` : head.title;
  if (!first && before !== state.view + state.item) { window.scrollTo(0, 0); main.focus({ preventScroll: true }); }
  else if (stood && document.getElementById(stood)) document.getElementById(stood).focus();
}

async function start() {
  const main = document.getElementById("main");
  if (typeof DecompressionStream === "undefined") {
    main.replaceChildren(h("p", {}, "This browser is too old for this page: it lacks what unpacks compressed data (browsers have it since 2023)."));
    return;
  }
  [head, table] = await Promise.all([whole("data-head"), whole("data-table")]);
  buildHead();
  document.getElementById("skip").addEventListener("click", (event) => { event.preventDefault(); main.focus(); });
  window.addEventListener("hashchange", () => show());
  window.matchMedia("(prefers-color-scheme: dark)").addEventListener("change", dress);
  window.addEventListener("beforeprint", () => view.print && view.print());
  window.addEventListener("afterprint", () => view.resize && view.resize());
  let waiting = null;
  let wide = window.innerWidth;
  window.addEventListener("resize", () => {
    clearTimeout(waiting);
    waiting = setTimeout(() => { if (view.resize && (view.renew || window.innerWidth !== wide)) view.resize(); wide = window.innerWidth; }, 120);
  });
  await show(true);
  performance.mark("rows");  // how long it took can be read off in the browser
  document.getElementById("foot").replaceChildren(h("p", { class: "small" }, `Made by Veridex, ${head.made}. This page asks nothing of any server; its numbers have six digits.`));
  document.body.dataset.ready = "yes";
}

start();
