"use strict";
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const ROW = 32, SPARE = 12;
  const $ = (id) => document.getElementById(id);
  const kind = $("kind"), search = $("search"), device = $("device"), count = $("count"), scroller = $("scroller");
  const head = $("table").tHead, body = $("table").tBodies[0];
  let table, names, texts, shown = [], sorted = { name: "", down: false };

  const cell = (column, row) => (column.values ? column.values[row] : column.of[column.at[row]]);

  const choose = () => {
    table = data[kind.value];
    names = Object.keys(table.columns);
    texts = null;
    sorted = { name: "", down: false };
    const devices = table.columns.device;
    const known = [...new Set(devices.of || devices.values)].sort();
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

  const searched = () => {
    if (texts) return texts;
    const columns = names.map((name) => table.columns[name]);
    texts = new Array(table.rows);
    for (let n = 0; n < table.rows; n++) texts[n] = columns.map((one) => cell(one, n)).join("\n").toLowerCase();
    return texts;
  };

  const compare = (one, other) => {
    const x = Number(one), y = Number(other);
    if (one !== "" && other !== "" && !Number.isNaN(x) && !Number.isNaN(y)) return x - y;
    return one < other ? -1 : one > other ? 1 : 0;
  };

  const filter = () => {
    const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
    const all = words.length ? searched() : null, devices = table.columns.device, wanted = device.value;
    shown = [];
    for (let n = 0; n < table.rows; n++) {
      if (wanted && cell(devices, n) !== wanted) continue;
      if (all && !words.every((word) => all[n].includes(word))) continue;
      shown.push(n);
    }
    if (sorted.name) {
      const column = table.columns[sorted.name], sign = sorted.down ? -1 : 1;
      shown.sort((a, b) => sign * compare(cell(column, a), cell(column, b)) || a - b);
    }
    count.textContent = `${shown.length.toLocaleString("en")} of ${table.rows.toLocaleString("en")}`;
    scroller.scrollTop = 0;
    draw();
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
