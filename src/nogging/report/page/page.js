"use strict";
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const ROW = 32, SPARE = 12;
  const $ = (id) => document.getElementById(id);
  const kind = $("kind"), search = $("search"), device = $("device"), count = $("count"), scroller = $("scroller"), others = $("others");
  const head = $("table").tHead, body = $("table").tBodies[0];
  let table, names, shown = [], sorted = { name: "", down: false };

  // A column has the values that occur in it, and which of them each row has; or each row has its own. What is asked of
  // a column is asked of its values once, so that a search or a sort goes over numbers only, however many the rows are.
  const which = (column, row) => (column.at ? column.at[row] : row);
  const cell = (column, row) => column.of[which(column, row)];

  const holding = (column, word) => {
    column.lower ??= column.of.map((text) => text.toLowerCase());
    return Uint8Array.from(column.lower, (text) => (text.includes(word) ? 1 : 0));
  };

  const places = (column) => {
    if (!column.places) {
      column.places = new Uint32Array(column.of.length);
      const ordered = column.of.map((text, n) => ({ text, n, number: text === "" ? NaN : Number(text) }));
      ordered.sort(compare).forEach(({ n }, place) => { column.places[n] = place; });
    }
    return column.places;
  };

  const choose = () => {
    table = data[kind.value];
    names = Object.keys(table.columns);
    sorted = { name: "", down: false };
    const known = [...table.columns.device.of].sort();
    const kept = device.value;
    device.replaceChildren(new Option("all", ""), ...known.map((name) => new Option(name, name)));
    device.value = known.includes(kept) ? kept : "";
    heading();
    filter();
  };

  const heading = () => {
    const row = document.createElement("tr");
    for (const name of names) {
      const th = document.createElement("th"), button = document.createElement("button");
      th.scope = "col";
      button.type = "button";
      const on = sorted.name === name;
      button.textContent = name + (on ? (sorted.down ? " ▼" : " ▲") : "");
      if (on) th.setAttribute("aria-sort", sorted.down ? "descending" : "ascending");
      button.addEventListener("click", () => {
        sorted = { name, down: on && !sorted.down };
        heading();
        filter();
        head.querySelectorAll("button")[names.indexOf(name)].focus();
      });
      th.append(button);
      row.append(th);
    }
    head.replaceChildren(row);
  };

  const compare = (one, other) => {
    if (!Number.isNaN(one.number) && !Number.isNaN(other.number)) return one.number - other.number;
    return one.text < other.text ? -1 : one.text > other.text ? 1 : 0;
  };

  const having = (one, word) => {
    const found = new Uint8Array(one.rows);
    for (const column of Object.values(one.columns)) {
      const holds = holding(column, word);
      if (holds.includes(1)) for (let n = 0; n < one.rows; n++) found[n] |= holds[which(column, n)];
    }
    return found;
  };

  const wantedOf = (one) => {
    const words = search.value.toLowerCase().split(/\s+/).filter(Boolean).map((word) => having(one, word));
    const devices = one.columns.device, any = !device.value, wanted = devices.of.indexOf(device.value), rows = [];
    for (let n = 0; n < one.rows; n++) {
      if ((any || which(devices, n) === wanted) && words.every((found) => found[n])) rows.push(n);
    }
    return rows;
  };

  // What is asked for may be of another kind: that is counted once the kind that is shown has been drawn.
  let counting;
  const countOthers = () => {
    clearTimeout(counting);
    others.replaceChildren();
    if (!search.value.trim()) return;
    counting = setTimeout(() => {
      const found = Object.keys(data).filter((name) => name !== kind.value).map((name) => [name, wantedOf(data[name]).length]);
      const buttons = found.filter(([, rows]) => rows).map(([name, rows]) => {
        const button = document.createElement("button");
        button.type = "button";
        button.textContent = `${name} (${rows.toLocaleString("en")})`;
        button.addEventListener("click", () => { kind.value = name; choose(); search.focus(); });
        return button;
      });
      if (buttons.length) others.replaceChildren("Also in: ", ...buttons);
    }, 200);
  };

  const inOrder = (rows, column) => {
    const place = places(column), buckets = new Array(column.of.length);
    for (const n of rows) (buckets[place[which(column, n)]] ??= []).push(n);
    return (sorted.down ? buckets.reverse() : buckets).flat();
  };

  const filter = () => {
    shown = wantedOf(table);
    if (sorted.name) shown = inOrder(shown, table.columns[sorted.name]);
    count.textContent = `${shown.length.toLocaleString("en")} of ${table.rows.toLocaleString("en")}`;
    scroller.scrollTop = 0;
    draw();
    countOthers();
  };

  const filler = (rows) => {
    const tr = document.createElement("tr"), td = document.createElement("td");
    td.colSpan = names.length;
    td.style.height = `${rows * ROW}px`;
    tr.setAttribute("aria-hidden", "true");
    tr.append(td);
    return tr;
  };

  const draw = () => {
    const first = Math.max(Math.floor(scroller.scrollTop / ROW) - SPARE, 0);
    const last = Math.min(first + Math.ceil(scroller.clientHeight / ROW) + 2 * SPARE, shown.length);
    const rows = first ? [filler(first)] : [];
    for (let n = first; n < last; n++) {
      const tr = document.createElement("tr");
      for (const name of names) {
        const td = document.createElement("td");
        td.textContent = cell(table.columns[name], shown[n]);
        tr.append(td);
      }
      rows.push(tr);
    }
    if (last < shown.length) rows.push(filler(shown.length - last));
    body.replaceChildren(...rows);
  };

  let due = false;
  const later = () => {
    if (due) return;
    due = true;
    requestAnimationFrame(() => { due = false; draw(); });
  };
  for (const name of Object.keys(data)) kind.append(new Option(`${name} (${data[name].rows})`, name));
  $("controls").addEventListener("submit", (event) => event.preventDefault());
  kind.addEventListener("change", choose);
  device.addEventListener("change", filter);
  search.addEventListener("input", filter);
  scroller.addEventListener("scroll", later);
  if (data.interface) kind.value = "interface";
  if (kind.options.length) choose();
})();
