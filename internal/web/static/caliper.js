// Caliper entry: Enter keeps a reading and the line is free for the next at
// once. Readings wait in the queue until the server has them, one key each, so a
// repeat counts once and nothing is lost with the line.
document.addEventListener('alpine:init', () => {
  'use strict';

  Alpine.data('caliper', () => ({
    last: [], says: '', mood: '', inch: false, beep: true, speak: false, ask: null,
    lot: '', low: 0, high: 0, simulated: [],
    init() {
      const d = this.$root.dataset;
      this.lot = d.lot;
      this.low = Number(d.low);
      this.high = Number(d.high);
      this.simulated = JSON.parse(d.simulated);
      this.last = this.waiting().map((r) => ({ ...r, state: 'waits' })).reverse().slice(0, 10);
      UK.on('reading', (r, became, told) => {
        if (r.lot !== this.lot) return false;
        if (became === 'safe') this.mark(r.id, 'safe');
        if (became === 'refused') this.mark(r.id, 'refused');
        if (became === 'safe' || became === 'back') {
          htmx.swap('#cal-now', told, { swapStyle: 'innerHTML' });
        } else {
          this.tone(false);
          this.say(told || `${r.mm} mm was not kept.`, 'bad');
        }
        return true;
      });
      UK.watch(() => this.line());
      UK.flush();
    },
    waiting() { return UK.items((x) => x.kind === 'reading' && x.body.lot === this.lot).map((x) => x.body); },
    line() {
      const red = UK.alarm();
      if (red) this.say(red, 'bad');
      else if (UK.reach() === 'out') this.say('Signed out: sign in on another page and come back; the readings wait here.', 'off');
      else if (UK.reach() === 'off' && this.waiting().length) this.say('The line is down. Readings wait on this device; go on measuring.',
        'off');
      else if (this.mood === 'off') this.say('');
    },
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
      for (const [i, mm] of all.entries()) {
        const r = { id: UK.uuid(), lot: this.lot, mm, both: ways[i].length === 2 ? ways[i].join('x') : undefined };
        this.last = [{ ...r, state: 'waits' }, ...this.last].slice(0, 10);
        UK.put('reading', r);
      }
      el.value = '';
      this.tone(true);
      if (this.speak && window.speechSynthesis) speechSynthesis.speak(new SpeechSynthesisUtterance(String(all[all.length - 1])));
      this.say('');
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
    mark(id, state) { this.last = this.last.map((r) => (r.id === id ? { ...r, state } : r)); },
    undo() {
      const r = this.last.find((x) => x.state === 'waits' || x.state === 'safe');
      if (!r) return;
      if (UK.items((x) => x.id === r.id && !x.tried).length) UK.drop(r.id); // it never left this device
      else UK.put('unread', { id: UK.uuid(), lot: this.lot, mm: r.mm });
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
