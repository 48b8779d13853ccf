"use strict";
(() => {
  const form = document.querySelector("form.filter");
  const tables = [...document.querySelectorAll("table[data-sorts], table[data-filters]")];
  // What the filter does not reach says so: tables whose rows have nothing to be filtered by, and charts.
  const others = [...document.querySelectorAll("#content .scroll > table")].filter((table) => !tables.includes(table) && !table.closest("details"));
  const figures = [...document.querySelectorAll("#content figure")];
  const words = ["entity", "period", "severity", "text"];
  let anchor = "";

  // Amounts are exact: whole numbers of units of the last decimal.
  const parse = (text) => {
    const [whole, part = ""] = text.replace("-", "").split(".");
    return { units: BigInt(whole + part) * (text.startsWith("-") ? -1n : 1n), scale: part.length };
  };
  const raise = (a, scale) => a.units * 10n ** BigInt(scale - a.scale);
  const add = (a, b) => {
    const scale = Math.max(a.scale, b.scale);
    return { units: raise(a, scale) + raise(b, scale), scale };
  };
  const compare = (a, b) => {
    const scale = Math.max(a.scale, b.scale), x = raise(a, scale), y = raise(b, scale);
    return x < y ? -1 : x > y ? 1 : 0;
  };
  const write = (a) => {
    const digits = (a.units < 0n ? -a.units : a.units).toString().padStart(a.scale + 1, "0");
    const whole = digits.slice(0, digits.length - a.scale).replace(/\B(?=(\d{3})+$)/g, ",");
    return (a.units < 0n ? "-" : "") + whole + (a.scale ? "." + digits.slice(-a.scale) : "");
  };

  const wanted = () => {
    const of = {};
    for (const word of words) of[word] = form.elements[word] ? form.elements[word].value.trim() : "";
    return of;
  };
  const isShown = (row, of, filters) =>
    (!filters || !of.entity || row.dataset.e === of.entity) && (!filters || !of.period || row.dataset.p === of.period) &&
    (!filters || !of.severity || row.dataset.s === of.severity) &&
    (!of.text || row.textContent.toLowerCase().includes(of.text.toLowerCase()));

  // Each table shows the rows that are wanted, and its totals follow and say so.
  const apply = () => {
    closeAll();
    const of = wanted(), any = words.some((word) => of[word]);
    for (const table of tables) {
      const filters = "filters" in table.dataset;
      const knows = (word) => word === "text" || filters && (word === "severity" ? "severity" in table.dataset : table.querySelector("tbody tr[data-" + word[0] + "]"));
      const touched = words.some((word) => of[word] && knows(word));
      const mine = { entity: knows("entity") ? of.entity : "", period: knows("period") ? of.period : "", severity: knows("severity") ? of.severity : "", text: of.text };
      const rows = [...table.tBodies[0].rows];
      let n = 0;
      for (const row of rows) n += (row.hidden = touched && !isShown(row, mine, filters)) ? 0 : 1;
      const said = table.parentElement.nextElementSibling;
      const unknown = words.filter((word) => of[word] && !knows(word));
      const told = touched ? [n + " of " + rows.length + " rows are shown" + (table.tFoot ? "; the total is theirs" : "")] : [];
      if (unknown.length) told.push("not filtered by " + unknown.join(", ") + ", which its rows do not have");
      said.hidden = !told.length;
      said.textContent = told.join("; ");
      if (table.tFoot) follow(table, rows.filter((row) => !row.hidden), touched);
    }
    const asked = words.filter((word) => of[word]).join(", ");
    for (const table of others) say(table.parentElement.nextElementSibling, any, "not filtered by " + asked);
    for (const figure of figures) say(figure.nextElementSibling, any, "the chart shows all, and is not filtered by " + asked);
    form.elements.all.disabled = !any;
    keep();
  };
  const say = (p, shown, text) => {
    if (!p || !p.classList.contains("shown")) return;
    p.hidden = !shown;
    p.textContent = shown ? text : "";
  };
  const follow = (table, rows, touched) => {
    for (const [at, foot] of [...table.tFoot.rows].entries()) {
      foot.hidden = touched && at > 0;
      for (const [k, cell] of [...foot.cells].entries()) {
        if (cell.dataset.was === undefined) cell.dataset.was = cell.innerHTML;
        if (!touched || at > 0) { if (cell.innerHTML !== cell.dataset.was) cell.innerHTML = cell.dataset.was; continue; }
        if (k === 0) { cell.textContent = "total of what is shown"; continue; }
        if (!cell.classList.contains("n")) continue;
        if (!("sum" in table.tHead.rows[0].cells[k].dataset)) { cell.textContent = ""; continue; }
        let sum = { units: 0n, scale: 0 };
        for (const row of rows) {
          const own = row.cells[k];
          if (own && own.dataset.v && !row.classList.contains("strong")) sum = add(sum, parse(own.dataset.v));
        }
        cell.textContent = write(sum);
      }
    }
  };

  const sort = (table, at, down) => {
    closeAll();
    const body = table.tBodies[0];
    const key = (row) => row.cells[at] ? row.cells[at].dataset.v ?? row.cells[at].textContent : "";
    const number = table.tHead.rows[0].cells[at].classList.contains("n");
    const collator = new Intl.Collator(undefined, { numeric: true });
    const rows = [...body.rows].map((row) => ({ row, key: number ? key(row) && parse(key(row)) : key(row) }));
    rows.sort((a, b) => {
      if (number && (!a.key || !b.key)) return (a.key ? 0 : 1) - (b.key ? 0 : 1);
      const c = number ? compare(a.key, b.key) : collator.compare(a.key, b.key);
      return down ? -c : c;
    });
    body.append(...rows.map((of) => of.row));
    for (const [k, th] of [...table.tHead.rows[0].cells].entries()) {
      if (k === at) th.setAttribute("aria-sort", down ? "descending" : "ascending");
      else th.removeAttribute("aria-sort");
    }
  };
  for (const table of tables) {
    if (!("sorts" in table.dataset)) continue;
    for (const [at, th] of [...table.tHead.rows[0].cells].entries()) {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "sort";
      button.append(...th.childNodes);
      th.append(button);
      // On paper there is nothing to press, and a heading with a button in it would not come again on the next page.
      addEventListener("beforeprint", () => button.replaceWith(...button.childNodes));
      addEventListener("afterprint", () => { button.append(...th.childNodes); th.append(button); });
      button.addEventListener("click", () => {
        const was = th.getAttribute("aria-sort");
        sort(table, at, was ? was === "ascending" : th.classList.contains("n"));
      });
    }
  }

  // A figure opens below its row to what each source gave.
  const homes = new Map();
  const idOf = (details) => details.querySelector(".scroll").id;
  const close = (details) => {
    const home = homes.get(details);
    if (!home) return;
    const row = details.closest("tr.opened");
    details.open = false;
    home.replaceWith(details);
    homes.delete(details);
    row.remove();
    for (const link of document.querySelectorAll('a.opens[href="#' + idOf(details) + '"]')) link.setAttribute("aria-expanded", "false");
  };
  const closeAll = () => { for (const details of [...homes.keys()]) close(details); };
  const open = (link) => {
    const details = document.getElementById(link.getAttribute("href").slice(1)).closest("details");
    if (homes.has(details)) { close(details); anchor = ""; return keep(); }
    const home = document.createElement("span"), row = document.createElement("tr"), cell = document.createElement("td");
    row.className = "opened";
    cell.colSpan = link.closest("table").tHead.rows[0].cells.length;
    details.replaceWith(home);
    homes.set(details, home);
    details.open = true;
    cell.append(details);
    row.append(cell);
    link.closest("tr").after(row);
    link.setAttribute("aria-expanded", "true");
    anchor = idOf(details);
    keep();
  };
  for (const link of document.querySelectorAll("a.opens")) link.setAttribute("aria-expanded", "false");

  // The address keeps where one is and what is filtered: #finding-ab12cd34&entity=NAME
  const keep = () => {
    const of = wanted();
    const parts = words.filter((word) => of[word]).map((word) => word + "=" + encodeURIComponent(of[word]));
    const hash = "#" + [anchor, ...parts].filter((part) => part).join("&");
    history.replaceState(null, "", hash === "#" ? location.pathname + location.search : hash);
  };
  const go = () => {
    for (const row of document.querySelectorAll("tr.found")) row.classList.remove("found");
    const at = anchor && document.getElementById(anchor);
    if (!at) return;
    const details = at.closest("details.gave");
    const link = details && document.querySelector('a.opens[href="#' + anchor + '"]');
    if (link) { if (!homes.has(details)) open(link); link.scrollIntoView({ block: "center" }); link.focus(); return; }
    if (at.matches("tr")) { at.hidden = false; at.classList.add("found"); at.scrollIntoView({ block: "center" }); return; }
    at.scrollIntoView();
  };
  const read = () => {
    const parts = location.hash.slice(1).split("&").filter((part) => part);
    anchor = "";
    for (const word of words) if (form.elements[word]) form.elements[word].value = "";
    for (const part of parts) {
      const [word, value] = part.split("=");
      if (value === undefined) anchor = decodeURIComponent(word);
      else if (words.includes(word) && form.elements[word]) form.elements[word].value = decodeURIComponent(value);
    }
    apply();
    go();
  };
  document.addEventListener("click", (event) => {
    const link = event.target.closest('a[href^="#"]');
    if (!link) return;
    event.preventDefault();
    if (link.classList.contains("opens")) return open(link);
    anchor = link.getAttribute("href").slice(1);
    keep();
    go();
  });
  form.addEventListener("input", apply);
  form.addEventListener("submit", (event) => event.preventDefault());
  form.elements.all.addEventListener("click", () => {
    for (const word of words) if (form.elements[word]) form.elements[word].value = "";
    apply();
  });
  addEventListener("hashchange", read);
  form.hidden = false;
  read();
})();
