// Caliper entry: Enter keeps a reading and the line is free for the next at
// once. Readings wait in the browser's store until the server has them, one
// key each, so a repeat counts once and nothing is lost with the line.
document.addEventListener('alpine:init', () => {
  'use strict';

  const uuid = () => {
    const b = crypto.getRandomValues(new Uint8Array(16));
    b[6] = (b[6] & 15) | 64;
    b[8] = (b[8] & 63) | 128;
    const h = Array.from(b, (x) => x.toString(16).padStart(2, '0')).join('');
    return `${h.slice(0, 8)}-${h.slice(8, 12)}-${h.slice(12, 16)}-${h.slice(16, 20)}-${h.slice(20)}`;
  };

  Alpine.data('caliper', () => ({
    last: [], says: '', mood: '', inch: false, beep: true, speak: false, ask: null, busy: false, timer: 0,
    lot: '', low: 0, high: 0, simulated: [],
    init() {
      const d = this.$root.dataset;
      this.lot = d.lot;
      this.low = Number(d.low);
      this.high = Number(d.high);
      this.simulated = JSON.parse(d.simulated);
      this.last = this.waiting().map((r) => ({ ...r, state: 'waits' })).reverse().slice(0, 10);
      window.addEventListener('online', () => this.flush());
      this.flush();
    },
    get box() { return 'uk-cal:' + this.lot; },
    waiting() { return JSON.parse(localStorage.getItem(this.box) || '[]'); },
    put(list) { localStorage.setItem(this.box, JSON.stringify(list)); },
    tone(ok) {
      if (!this.beep || !window.AudioContext) return;
      this.audio = this.audio || new AudioContext();
      const o = this.audio.createOscillator();
      const g = this.audio.createGain();
      o.frequency.value = ok ? 880 : 220;
      g.gain.value = 0.08;
      o.connect(g).connect(this.audio.destination);
      o.start();
      o.stop(this.audio.currentTime + (ok ? 0.06 : 0.3));
    },
    say(text, mood) {
      this.says = text;
      this.mood = mood || '';
    },
    enter() {
      const el = this.$refs.mm;
      const words = el.value.trim().split(/[\s;]+/).filter(Boolean);
      if (!words.length) return;
      const mmOf = (t) => {
        const v = Number(t.replace(',', '.'));
        return this.inch ? Math.round(v * 2540) / 100 : v;
      };
      // 9.2x8.4 is an oval stem: it counts by the mean, and keeps both.
      const ways = words.map((w) => w.split(/[x×]/i).map(mmOf));
      const all = ways.map((d) => (d.length === 2 ? Math.round(50 * (d[0] + d[1])) / 100 : d[0]));
      const bad = words.find((_, i) => ways[i].length > 2 || ways[i].some((v) => !(v >= 1 && v <= 150)));
      if (bad !== undefined) {
        this.tone(false);
        this.say(`${bad} is not a stem: diameters run from 1 to 150 mm. Nothing was kept.`, 'bad');
        el.select();
        return;
      }
      const far = this.high ? all.find((v) => v < this.low || v > this.high) : undefined;
      if (far !== undefined && this.ask !== el.value) {
        this.ask = el.value;
        this.tone(false);
        this.say(`${far} mm is far from the others (${this.low} to ${this.high}). Enter again keeps it; Esc drops it.`, 'bad');
        return;
      }
      this.ask = null;
      const list = this.waiting();
      for (const [i, mm] of all.entries()) {
        const r = { id: uuid(), mm, both: ways[i].length === 2 ? ways[i].join('x') : undefined };
        list.push(r);
        this.last = [{ ...r, state: 'waits' }, ...this.last].slice(0, 10);
      }
      this.put(list);
      el.value = '';
      this.tone(true);
      if (this.speak && window.speechSynthesis) speechSynthesis.speak(new SpeechSynthesisUtterance(String(all[all.length - 1])));
      this.say('');
      this.flush();
    },
    key(e) {
      if (e.key === 'Escape' && this.ask !== null) {
        this.ask = null;
        this.$refs.mm.value = '';
        this.say('Dropped.');
        e.stopPropagation();
      } else if (e.key === 'Backspace' && !this.$refs.mm.value) {
        e.preventDefault();
        this.undo();
      }
    },
    async flush() {
      if (this.busy) return;
      this.busy = true;
      clearTimeout(this.timer);
      try {
        let list;
        while ((list = this.waiting()).length) {
          const r = list[0];
          const res = await fetch(`/stock/lots/${encodeURIComponent(this.lot)}/readings`, {
            method: 'POST',
            headers: { 'HX-Request': 'true', 'Content-Type': 'application/x-www-form-urlencoded' },
            body: new URLSearchParams({ once: r.id, mm: r.both || String(r.mm) }),
            redirect: 'error',
          });
          if (res.status === 401 || res.status === 403) throw new Error('Signed out: sign in on another page and come back; the readings wait here.');
          if (!res.ok && res.status !== 422) throw new Error('The server is in trouble. Readings wait on this device.');
          this.put(this.waiting().filter((x) => x.id !== r.id));
          if (res.status === 422) {
            this.mark(r.id, 'refused');
            this.tone(false);
            this.say((await res.json()).says, 'bad');
            continue;
          }
          this.mark(r.id, 'safe');
          htmx.swap('#cal-now', await res.text(), { swapStyle: 'innerHTML' });
        }
        if (this.mood === 'off') this.say('');
      } catch (e) {
        const why = e instanceof TypeError ? 'The line is down. Readings wait on this device; go on measuring.' : e.message;
        this.say(why, 'off');
        this.timer = setTimeout(() => this.flush(), 3000);
      } finally {
        this.busy = false;
      }
    },
    mark(id, state) { this.last = this.last.map((r) => (r.id === id ? { ...r, state } : r)); },
    async undo() {
      const r = this.last.find((x) => x.state === 'waits' || x.state === 'safe');
      if (!r) return;
      if (this.waiting().some((x) => x.id === r.id) && !this.busy) {
        this.put(this.waiting().filter((x) => x.id !== r.id));
      } else {
        // The same key for every try, so that a lost answer takes back one.
        const undoes = r.undoes || uuid();
        this.last = this.last.map((x) => (x.id === r.id ? { ...x, state: 'going', undoes } : x));
        const res = await fetch(`/stock/lots/${encodeURIComponent(this.lot)}/readings/back`, {
          method: 'POST',
          headers: { 'HX-Request': 'true', 'Content-Type': 'application/x-www-form-urlencoded' },
          body: new URLSearchParams({ once: undoes, mm: String(r.mm) }),
        }).catch(() => null);
        if (!res || !res.ok) {
          this.mark(r.id, 'safe');
          this.say('It could not be taken back: the line is down or it is gone already.', 'bad');
          return;
        }
        htmx.swap('#cal-now', await res.text(), { swapStyle: 'innerHTML' });
      }
      this.last = this.last.filter((x) => x.id !== r.id);
      this.say(`${r.mm} mm is taken back.`);
    },
    toggleInch(e) { this.inch = e.target.checked; this.$refs.mm.placeholder = this.inch ? 'inches' : 'mm'; this.$refs.mm.focus(); },
    toggleBeep(e) { this.beep = e.target.checked; this.$refs.mm.focus(); },
    toggleSpeak(e) { this.speak = e.target.checked; this.$refs.mm.focus(); },
    simulate() {
      for (const v of this.simulated) {
        this.$refs.mm.value = v;
        this.enter();
      }
      this.$refs.mm.focus();
    },
  }));
});
