"use strict";
/* The page of a session: it asks in lines and shows what comes back. Nothing here decides what may move. */
(() => {
  const $ = (id) => document.getElementById(id);
  const make = (tag, set, ...inside) => { const e = Object.assign(document.createElement(tag), set); e.append(...inside); return e; };
  let socket = null, hello = null, state = null, mine = false, wanted = [], heardAt = 0, asked = new Map(), count = 0;
  let chosen = null, paused = false, beat = 0, lost = false, name = "", shownLine = 0;
  const token = location.hash.slice(1), loads = new Map(), series = [[], [], [], [], []];
  let plot = null, scale = null;

  const banner = (words) => { $("banner").hidden = !words; $("banner").textContent = words || ""; };
  const send = (line, then) => {
    if (!socket || socket.readyState !== 1) { banner("Not connected: nothing can be asked from here."); return; }
    socket.send(line);
    asked.set(++count, { line, then });
  };
  const say = (words, well) => { $("answer").textContent = words; $("answer").className = well ? "" : "bad"; };
  const ask = (line) => line.trim() && send(line, (a) => say(a.ok ? a.words : `${line}: ${a.words}`, a.ok));
  const stop = () => { wanted = []; for (const l of loads.values()) { l.zero(); } ask("stop"); };

  /* ---- what comes ---- */
  const hear = (text) => {
    const m = JSON.parse(text);
    if ("windpin" in m) { greet(m); }
    else if ("answer" in m) { const a = asked.get(m.answer); asked.delete(m.answer); if (a && a.then) { a.then(m); } }
    else if ("state" in m) { heardAt = performance.now(); state = m; show(); }
    else if ("news" in m) { tell(m); }
    else if ("plan" in m) { plan(m.plan); }
    else if ("checklist" in m) {
      $("items").replaceChildren(...m.checklist.map((one) => make("li", { textContent: one })),
        make("li", { textContent: "Each shaft is free, nothing can be caught by it, and hands are off." }));
      $("list").showModal();
    }
  };
  const tell = (m) => {
    const item = make("li", { className: m.grade || "" }, make("time", { textContent: (m.at ?? 0).toFixed(2) }), m.words);
    $("news").prepend(item);
    while ($("news").childElementCount > 200) { $("news").lastElementChild.remove(); }
    const own = /^(page \d+) has the command|^(page \d+) took/.exec(m.words);
    if (own) { checkMine(); }
  };
  const checkMine = () => { if (state) { mine = name !== "" && state.commander === name; } };

  const greet = (m) => {
    hello = m;
    name = m.you;
    $("rig").textContent = m.rig;
    document.title = `${m.rig} - Wind Pin`;
    $("foot").textContent = `Silence of ${m.link * 1000} ms from whoever has the command ends every motion on its ramp. ` +
      "Values in brackets only the simulated hardware knows; the others are measured.";
    loads.clear();
    $("loads").replaceChildren(...m.loads.map((one) => build(one)));
    $("others").replaceChildren(...m.supplies.map(supply), ...m.inputs.map(input));
    choose(m.loads[0].name);
    send("report 20Hz");
    send("lines");
  };

  /* ---- the plan ---- */
  const plan = (lines) => {
    $("planned").hidden = lines.length === 0;
    $("steps").replaceChildren(...lines.map((l) => {
      const item = make("li", { value: l.line }, `${l.text}  `, make("span", { className: "hint", textContent: `at about ${l.at} s` }));
      item.dataset.line = l.line;
      return item;
    }));
  };
  const showPlan = (p) => {
    $("plan").textContent = p.running ? "End the plan" : "Run the plan";
    $("plan").disabled = !mine;
    $("progress").textContent = p.running ? `${p.at.toFixed(1)} of about ${p.of} s` : `about ${p.of} s`;
    for (const item of $("steps").children) { item.classList.toggle("now", p.running && item.dataset.line === String(p.line)); }
    if (p.running && p.line !== shownLine) { $("steps").querySelector(".now")?.scrollIntoView({ block: "nearest" }); }
    shownLine = p.line;
  };
  $("plan").onclick = () => ask(state?.plan?.running ? "plan stop" : "plan run");

  /* ---- a load ---- */
  const build = (l) => {
    const slider = make("input", { type: "range", min: l.both ? -l.most : 0, max: l.most, step: l.step, value: 0, disabled: true });
    slider.setAttribute("aria-label", `${l.name}, set-point in ${l.unit || "on or off"}`);
    const typed = make("input", { type: "number", min: slider.min, max: l.most, step: "any", value: 0, disabled: true });
    typed.setAttribute("aria-label", `${l.name}, set-point typed, ${l.unit}`);
    const badge = make("span", { className: "state" }), values = make("span", { className: "values" });
    const trouble = make("p", { className: "trouble", hidden: true }), now = make("span", { className: "now" });
    const track = make("span", { className: "track" }, slider, now);
    if (l.both) { track.append(make("span", { className: "zero" })); }
    const line = (v) => {
      const way = v < 0 ? "reverse " : "", size = Math.abs(v);
      if (l.unit === "") { return `${l.name} ${size ? "on" : "off"}${v < 0 ? " reverse" : ""}`; }
      if (l.unit === "deg") { return `${l.name} turn ${way}${size}deg`; }
      return size ? `${l.name} ramp ${way}${size}${l.unit}` : `${l.name} stop`;
    };
    const within = (v) => Math.abs(v) >= l.least || v === 0 ? v : Math.abs(v) < l.least / 2 ? 0 : Math.sign(v) * l.least;
    const want = (any) => { const v = within(any); typed.value = v; wanted = wanted.filter((w) => w.name !== l.name); wanted.push({ name: l.name, line: line(v) }); };
    if (l.unit !== "deg") { slider.addEventListener("input", () => want(+slider.value)); }
    slider.addEventListener("change", () => want(+slider.value));
    const go = () => { const v = +typed.value; if (l.unit !== "deg") { slider.value = v; } ask(line(v)); };
    typed.addEventListener("keydown", (e) => { if (e.key === "Enter") { go(); } });
    const button = (words, line, title) => make("button", { type: "button", textContent: words, title: title || "", onclick: () => { zero(); ask(line); } });
    const zero = () => { slider.value = 0; typed.value = 0; };
    const box = make("article", {},
      make("div", { className: "top" }, make("h3", { textContent: l.name }), badge, values),
      make("div", { className: "drive" }, track, typed, l.unit || "on/off",
        make("button", { type: "button", textContent: "Go", onclick: go }), button("Rest", `${l.name} stop`),
        ...(l.brakes ? [button("Brake", `${l.name} brake`)] : []),
        ...(l.turns ? [button("First motion", `first ${l.name}`, "gently, each way it can: its shaft is free, hands are off")] : [])), trouble);
    box.addEventListener("click", () => choose(l.name));
    box.addEventListener("focusin", () => choose(l.name));
    loads.set(l.name, { of: l, box, badge, values, trouble, now, slider, typed, zero });
    return box;
  };

  const choose = (which) => {
    if (chosen === which) { return; }
    chosen = which;
    for (const [n, l] of loads) { l.box.classList.toggle("chosen", n === which); }
    $("plotted").textContent = `${which}: asked and actual`;
    series.forEach((s) => { s.length = 0; });
    scale = null;
  };

  const value = (measured, truth, digits, unit) =>
    measured !== null && measured !== undefined ? `${measured.toFixed(digits)} ${unit}`
      : truth !== undefined && truth !== null ? `(${truth.toFixed(digits)}) ${unit}` : "";

  const showLoad = (n, s) => {
    const l = loads.get(n), t = s.true || {}, wrong = s.fault || s.trouble;
    l.badge.textContent = s.fault ? s.fault.replace("WPIN_FAULT_", "fault: ").toLowerCase().replaceAll("_", " ") : s.trouble ? "trouble" : s.armed ? s.state : "not armed";
    l.badge.className = `state ${wrong ? "wrong" : s.state === "running" || s.state === "ramping" ? "busy" : ""}`;
    const place = s.setpoint.of === "place", parts = [];
    if (l.of.unit === "") {
      parts.push(`asked ${s.setpoint.value === 0 ? "off" : s.setpoint.value > 0 ? "on" : "on, reverse"}`, s.duty === 0 ? "off" : "on");
    } else if (l.of.unit === "deg" || place) { /* by angles */
      parts.push(place ? `asked ${s.setpoint.value} deg` : "", s.degrees === null ? "" : `at ${s.degrees.toFixed(1)} deg${s.counts === null ? "" : ` (${s.counts} counts)`}`);
    } else {
      parts.push(`asked ${s.setpoint.value} ${s.setpoint.unit}`, s.duty === null ? "" : `${s.duty.toFixed(1)} %`);
    }
    if (l.of.turns) { parts.push(value(s.measured_rpm, t.rpm, 1, "rpm")); }
    parts.push(value(s.measured_amps, t.amps === undefined ? undefined : Math.abs(t.amps), 2, "A"), value(null, t.celsius, 0, "\u00b0C"));
    l.values.textContent = parts.filter((p) => p).join("  \u00b7  ");
    l.trouble.hidden = !wrong;
    l.trouble.textContent = s.trouble || (s.fault ? "Mend its cause, then Clear faults and Arm." : "");
    const share = actual(l.of, s) / l.of.most, at = l.of.both ? 50 : 0, width = Math.min(Math.abs(share), 1) * (l.of.both ? 50 : 100);
    l.now.style.left = `${share < 0 ? at - width : at}%`;
    l.now.style.width = `${width}%`;
  };
  const actual = (of, s) => of.unit === "rpm" ? s.measured_rpm ?? s.true?.rpm ?? 0 : of.unit === "%" ? s.duty : of.unit === "" ? s.duty / 100 : 0;

  /* ---- supplies and inputs ---- */
  const supply = (n) => {
    const box = make("input", { type: "checkbox", onchange: (e) => { e.target.checked = !e.target.checked; ask(`${n} ${e.target.checked ? "off" : "on"}`); } });
    return make("label", { id: `supply-${n}` }, box, make("span", { textContent: n }));
  };
  const input = (i) => {
    if (i.kind === "button") {
      const b = make("button", { type: "button", textContent: i.name });
      const press = (down) => { if (b.dataset.down !== String(down)) { b.dataset.down = down; ask(`${i.name} ${down ? "press" : "release"}`); } };
      b.addEventListener("pointerdown", () => press(true));
      for (const e of ["pointerup", "pointerleave", "blur"]) { b.addEventListener(e, () => { if (b.dataset.down === "true") { press(false); } }); }
      return b;
    }
    if (i.kind === "knob" || i.kind === "sensor") {
      const s = make("input", { type: "range", min: 0, max: i.kind === "knob" ? 100 : i.most, step: i.kind === "knob" ? 1 : 0.01, value: i.value });
      s.addEventListener("input", () => {
        const l = i.kind === "knob" ? `${i.name} turn ${s.value}%` : `${i.name} set ${s.value}V`;
        wanted = wanted.filter((w) => w.name !== i.name); wanted.push({ name: i.name, line: l });
      });
      return make("label", {}, i.name, s);
    }
    return make("span", { className: "hint", textContent: i.name });
  };

  /* ---- the whole ---- */
  const show = () => {
    checkMine();
    const s = state, armed = Object.values(s.loads).some((l) => l.armed);
    for (const n of Object.keys(s.loads)) { showLoad(n, s.loads[n]); }
    for (const [n, v] of Object.entries(s.supplies)) {
      const l = $(`supply-${n}`);
      if (l) { l.firstChild.checked = v > 0; l.lastChild.textContent = v > 0 ? `${n} ${v.toFixed(1)} V` : `${n} off`; l.firstChild.disabled = !mine; }
    }
    $("who").textContent = `${s.stopped ? "STOPPED" : armed ? "armed" : "not armed"} \u00b7 ` +
      (mine ? "you have the command" : s.commander ? `you are watching: ${s.commander} has the command` : "you are watching: nobody has the command") +
      ` \u00b7 ${s.at.toFixed(1)} s \u00b7 control periods late by up to ${(s.late.p99 * 1000).toFixed(2)} ms`;
    $("command").textContent = mine ? "Give the command up" : s.commander ? `Take the command from ${s.commander}` : "Take the command";
    for (const id of ["confirm", "arm", "disarm", "clear", "rearm"]) { $(id).disabled = !mine; }
    $("confirm").textContent = s.confirmed ? "Checklist confirmed" : "Checklist";
    for (const l of loads.values()) { l.box.querySelectorAll("input, button").forEach((e) => { e.disabled = !mine; }); }
    $("others").querySelectorAll("input, button").forEach((e) => { e.disabled = !mine; });
    if (s.stopped) { banner("Stopped. When all is safe: Re-arm after stop, then Arm all."); }
    else if (!lost) { banner(""); }
    if (s.plan) { showPlan(s.plan); }
    draw();
  };

  /* ---- the plot ---- */
  /* An axis has its nought, or a ripple looks like a storm. */
  const withNought = (_, least, most) => {
    const low = Math.min(0, least ?? 0), high = Math.max(0, most ?? 0), room = (high - low || 1) * 0.05;
    return [low < 0 ? low - room : 0, high + room];
  };
  const draw = () => {
    const s = state.loads[chosen], of = loads.get(chosen)?.of;
    if (!s || !of) { return; }
    const asks = s.setpoint.unit === of.unit || (of.unit === "" && s.setpoint.unit === "%") ? s.setpoint.value / (of.unit === "" ? 100 : 1) : 0;
    const volts = s.true ? s.true.volts : s.supply, current = s.measured_amps ?? Math.abs(s.true?.amps ?? 0);
    [state.at, asks, actual(of, s), current, volts].forEach((v, i) => series[i].push(v));
    if (series[0].length > 1200) { series.forEach((one) => one.shift()); }
    if (!plot || scale !== chosen) {
      plot?.destroy();
      scale = chosen;
      const ink = getComputedStyle(document.body), colour = (n) => ink.getPropertyValue(n).trim();
      const axis = { stroke: colour("--faint"), grid: { stroke: colour("--line") }, ticks: { stroke: colour("--line") } };
      plot = new uPlot({ width: $("plot").clientWidth, height: 230, scales: { x: { time: false }, y: { range: withNought }, A: { range: withNought }, V: { range: withNought } },
        axes: [{ ...axis, label: "s", labelSize: 16 }, { ...axis, label: of.unit || "on", labelSize: 18 }, { ...axis, scale: "A", side: 1, label: "A", labelSize: 18, size: 44, grid: { show: false } },
          { ...axis, scale: "V", side: 1, label: "V", labelSize: 18, size: 36, grid: { show: false }, show: $("plot").clientWidth > 400 }],
        series: [{ label: "s" }, { label: "asked", stroke: colour("--asked"), dash: [6, 4] }, { label: "actual", stroke: colour("--good"), width: 2 },
          { label: "current, A", scale: "A", stroke: colour("--comb") },
          { label: s.true ? "at the load, V" : "supply, V", scale: "V", stroke: colour("--volts"), width: 2, dash: [1, 4] }] }, series, $("plot"));
    } else if (!paused) {
      plot.setData(series);
      if (plot.cursor.left < 0) { plot.setLegend({ idx: series[0].length - 1 }); } /* the newest, while nobody points at one */
    }
  };
  addEventListener("resize", () => plot?.setSize({ width: $("plot").clientWidth, height: 230 }));

  /* ---- keys and buttons ---- */
  $("stop").addEventListener("click", stop);
  addEventListener("keydown", (e) => {
    const typing = e.target.id === "line" || e.target.type === "number";
    if (e.key === "Escape" || (e.key === " " && !typing)) { stop(); e.preventDefault(); }
  }, true);
  $("command").onclick = () => { if (mine) { release(); } else { ask("command over"); } };
  const release = (words) => {
    wanted = [];
    for (const l of loads.values()) { l.zero(); }
    send("watch", (a) => say(words || a.words, a.ok && !words));
  };
  $("confirm").onclick = () => send("checklist");
  $("so").onclick = () => { $("list").close(); ask("confirm"); };
  $("not").onclick = () => $("list").close();
  for (const id of ["arm", "disarm", "clear", "rearm"]) { $(id).onclick = () => ask(id); }
  $("pause").onclick = () => { paused = !paused; $("pause").setAttribute("aria-pressed", paused); $("pause").textContent = paused ? "Go on" : "Pause"; };
  $("form").addEventListener("submit", (e) => { e.preventDefault(); ask($("line").value); });
  $("line").addEventListener("input", () => send(`foresee ${$("line").value}`, (a) => say(a.words, a.ok)));

  /* Ten times a second: what sliders want, and that somebody is there. A hidden page gives the command up. */
  setInterval(() => {
    for (const w of wanted.splice(0)) { ask(w.line); }
    const fast = hello ? Math.max(1, Math.floor(hello.link * 10 / 4)) : 1;
    if (mine && ++beat % fast === 0) { send("alive"); }
    const late = performance.now() - heardAt;
    if (!lost && heardAt > 0 && late > 1000) { banner(`Nothing was heard for ${(late / 1000).toFixed(1)} s: what is shown is old.`); }
  }, Math.min(100, 100));
  document.addEventListener("visibilitychange", () => {
    if (document.hidden && mine) { release("This page was hidden: it gave the command up, and every load came to rest."); }
  });

  /* ---- the link ---- */
  const connect = () => {
    if (!/^[0-9a-f]{32}$/.test(token)) { banner("The link is not whole: open the one that windpin live printed."); return; }
    socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/`, "windpin-1");
    count = 0;
    asked = new Map();
    socket.onopen = () => { lost = false; banner(""); socket.send(token); };
    socket.onmessage = (e) => hear(e.data);
    socket.onclose = (e) => {
      mine = false;
      lost = true;
      if (e.reason === "token") { banner("The link is of an earlier session: open the one that windpin live printed last."); return; }
      banner("The connection is lost: what this page asked for has come to rest. Trying again.");
      setTimeout(connect, 1000);
    };
  };
  connect();
})();
