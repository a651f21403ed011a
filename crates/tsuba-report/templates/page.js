"use strict";
// Builds the list of entries from the page's data. Texts of the data are only ever set as texts, never as markup.
(() => {
  const PAGE = 100;
  const VERDICTS = ["refuse", "fix-first", "unchecked", "ready"];
  const SEVERITIES = ["critical", "high", "medium", "low", "note"];
  const KINDS = { shown: "text", listing: "listing", file: "file" };
  const data = JSON.parse(document.getElementById("data").textContent);
  const byId = (id) => document.getElementById(id);
  const views = [...document.querySelectorAll("section.view")];
  // The address names a view; the browser is not to scroll to it as well.
  for (const view of views) {
    view.dataset.name = view.id;
    view.removeAttribute("id");
  }
  const fields = ["text", "verdict", "group", "severity", "rule", "order"].map(byId);
  const [text, verdict, group, severity, rule, order] = fields;
  const list = byId("list");
  let matching = [];
  let built = 0;
  let open = false;

  const make = (name, content, className) => {
    const node = document.createElement(name);
    if (className) node.className = className;
    for (const part of [content].flat()) if (part !== undefined && part !== "") node.append(part);
    return node;
  };
  const count = (number, one, more) => `${number.toLocaleString("en")} ${number === 1 ? one : more}`;

  for (const item of data.items) {
    item.open = item.found.filter((found) => found.waived === undefined);
    const parts = [item.name, item.place, item.group, ...item.facts.map((fact) => fact[1])];
    for (const found of item.found) parts.push(...found.rules, ...found.messages, found.reads || "");
    item.haystack = parts.join("\n").toLowerCase();
    item.worst = Math.min(...item.open.map((found) => SEVERITIES.indexOf(found.severity)), SEVERITIES.length);
  }

  const option = (value, name) => {
    const node = make("option", name);
    node.value = value;
    return node;
  };
  verdict.append(option("", "any"), ...VERDICTS.map((name) => option(name, name)), option("none", "none (files, texts)"));
  const groups = [...new Set(data.items.map((item) => item.group))].sort();
  group.append(option("", "any"), ...groups.map((name) => option(name, name)));
  severity.append(option("", "any"), ...SEVERITIES.slice(0, 4).map((name, at) => option(name, at ? `${name} or worse` : name)));
  rule.append(option("", "any"));
  const families = new Map();
  for (const id of Object.keys(data.rules)) {
    const family = id.split("/")[0];
    families.set(family, [...(families.get(family) || []), id]);
  }
  for (const [family, rules] of families) {
    const part = document.createElement("optgroup");
    part.label = family;
    part.append(option(`${family}/`, `any of ${family}`), ...rules.map((id) => option(id, id)));
    rule.append(part);
  }
  order.append(option("", "worst first"), option("name", "name"), option("group", data.group), option("found", "most findings"));

  const hasRule = (found) =>
    !rule.value || found.rules.some((id) => (rule.value.endsWith("/") ? id.startsWith(rule.value) : id === rule.value));
  const isBad = (found) => !severity.value || SEVERITIES.indexOf(found.severity) <= SEVERITIES.indexOf(severity.value);
  const shownOf = (item) => item.found.filter((found) => hasRule(found) && isBad(found));
  const matches = (item, words) => {
    if (verdict.value && (item.verdict || "none") !== verdict.value) return false;
    if (group.value && item.group !== group.value) return false;
    if ((rule.value || severity.value) && !shownOf(item).some((found) => found.waived === undefined)) return false;
    return words.every((word) => item.haystack.includes(word));
  };
  const compare = {
    name: (a, b) => a.name.localeCompare(b.name, "en"),
    group: (a, b) => a.group.localeCompare(b.group, "en"),
    found: (a, b) => b.open.length - a.open.length,
  };

  const excerpt = (found) => {
    const characters = [...found.excerpt];
    const [start, end] = found.marked;
    const part = (from, to) => characters.slice(from, to).join("");
    return make("pre", [part(0, start), make("mark", part(start, end)), part(end)]);
  };
  const labelled = (name, value) => [make("dt", name), make("dd", value)];

  const findingRow = (found) => {
    const rules = found.rules.map((id) => [make("code", id), " "]).flat();
    const sure = found.confidence ? [make("small", found.confidence), " "] : [];
    const head = make("p", [make("span", found.severity, `severity ${found.severity}`), " ", ...sure, ...rules, make("small", `line ${found.line}`)]);
    const told = found.messages.map((message) => make("p", message, "message"));
    const facts = [];
    if (found.reads !== undefined) facts.push(...labelled("the model reads", found.reads));
    if (found.sees !== undefined) facts.push(...labelled("a person sees", found.sees));
    for (const fix of found.fixes) facts.push(...labelled("fix", fix));
    if (found.since !== undefined) facts.push(...labelled("open", found.since));
    if (found.again !== undefined) facts.push(...labelled("repeated", found.again));
    if (found.waived !== undefined) facts.push(...labelled("waived by", found.waived));
    const parts = [head, ...told];
    if (found.excerpt) parts.push(excerpt(found));
    return make("li", [...parts, make("dl", facts)], found.waived === undefined ? "" : "waived");
  };

  const expand = (row, item) => {
    const body = row.lastElementChild;
    if (!body.hasChildNodes()) {
      if (item.facts.length) body.append(make("dl", item.facts.map(([name, value]) => labelled(name, value)).flat(), "facts"));
      const shown = shownOf(item);
      body.append(make("ol", shown.map(findingRow), "found"));
      const hidden = item.found.length - shown.length;
      if (hidden) body.append(make("p", `${count(hidden, "finding is", "findings are")} hidden by the filters.`, "note"));
      if (!item.found.length) body.append(make("p", "No findings.", "note"));
    }
  };
  const toggle = (row, item, to) => {
    if (to) expand(row, item);
    row.lastElementChild.hidden = !to;
    row.querySelector("button").setAttribute("aria-expanded", String(to));
  };

  const itemRow = (item) => {
    const kind = item.verdict || KINDS[item.kind] || "no verdict";
    const counts = SEVERITIES.map((name) => [name, item.open.filter((found) => found.severity === name).length]);
    const chips = counts.filter((one) => one[1]).map(([name, number]) => make("span", `${number} ${name}`, `severity ${name}`));
    const button = make("button", [
      make("span", kind, `verdict ${item.verdict || "none"}`),
      make("b", item.name),
      make("span", item.group, "group"),
      make("span", item.place, "place"),
      make("span", chips, "chips"),
    ]);
    button.type = "button";
    const body = make("div", [], "body");
    const row = make("li", [button, body], "item");
    // What is alone was looked for.
    toggle(row, item, open || matching.length === 1);
    button.addEventListener("click", () => toggle(row, item, body.hidden));
    return row;
  };

  const buildMore = (number) => {
    const until = Math.min(built + number, matching.length);
    const rows = document.createDocumentFragment();
    for (; built < until; built += 1) rows.append(itemRow(matching[built]));
    list.append(rows);
    byId("more").hidden = built >= matching.length;
    byId("more").textContent = `Show more (${(matching.length - built).toLocaleString("en")} left)`;
  };

  const refresh = () => {
    const words = text.value.toLowerCase().split(/\s+/).filter(Boolean);
    matching = data.items.filter((item) => matches(item, words));
    if (compare[order.value]) matching = [...matching].sort(compare[order.value]);
    const found = matching.reduce((sum, item) => sum + shownOf(item).filter((one) => one.waived === undefined).length, 0);
    const entries = matching.filter((item) => item.kind === "entry").length;
    const others = matching.length - entries;
    const places = [];
    if (entries || !others) places.push(count(entries, "entry", "entries"));
    if (others) places.push(count(others, "file, text or listing", "files, texts and listings"));
    byId("count").textContent = `${places.join(", ")}: ${count(found, "open finding", "open findings")}`;
    list.replaceChildren();
    built = 0;
    buildMore(PAGE);
  };

  // The address says which view is shown and how it is filtered, so that it can be kept and gone back to.
  const read = () => {
    const [view, ...rest] = location.hash.slice(1).split("&");
    const wanted = new URLSearchParams(rest.join("&"));
    const shown = views.find((one) => one.dataset.name === view) || views[0];
    for (const one of views) one.classList.toggle("on", one === shown);
    for (const link of document.querySelectorAll("nav a")) {
      if (link.hash === `#${shown.dataset.name}`) link.setAttribute("aria-current", "page");
      else link.removeAttribute("aria-current");
    }
    if (shown.dataset.name === "entries" && rest.length) for (const field of fields) field.value = wanted.get(field.id) || "";
    refresh();
    window.scrollTo(0, 0);
  };
  const write = () => {
    const wanted = new URLSearchParams();
    for (const field of fields) if (field.value) wanted.set(field.id, field.value);
    history.replaceState(null, "", `#entries&${wanted}`);
    refresh();
  };
  let waiting = 0;
  byId("filters").addEventListener("input", () => {
    clearTimeout(waiting);
    waiting = setTimeout(write, 120);
  });
  byId("filters").addEventListener("submit", (event) => event.preventDefault());
  byId("filters").addEventListener("reset", () => setTimeout(write));
  const all = (to) => {
    open = to;
    refresh();
  };
  byId("open").addEventListener("click", () => all(true));
  byId("close").addEventListener("click", () => all(false));
  byId("more").addEventListener("click", () => buildMore(PAGE));
  new IntersectionObserver((seen) => seen.some((one) => one.isIntersecting) && buildMore(PAGE), { rootMargin: "600px" }).observe(byId("more"));
  window.addEventListener("hashchange", read);
  // On paper there is no scrolling.
  window.addEventListener("beforeprint", () => buildMore(matching.length));
  document.documentElement.classList.add("live");
  read();
})();
