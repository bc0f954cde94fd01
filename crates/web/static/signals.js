// At work outdoors: a sound and a touch when a line was logged, was not taken, or a run has settled; and a screen that stays on.
// Other scripts say what happened by an event of the document: flindo:logged, flindo:not-logged, flindo:settled.
(() => {
  const OFF = 'flindo:signals-off';
  const TOLD = 'flindo:dark-told';
  const stored = (key) => { try { return localStorage.getItem(key); } catch { return null; } };
  const store = (key, value) => {
    try { if (value) localStorage.setItem(key, value); else localStorage.removeItem(key); } catch { /* for this page */ }
  };

  // Frequencies in Hz, one after the other; milliseconds of vibration and pauses.
  const SIGNALS = {
    'flindo:logged': { tones: [880], touch: [40] },
    'flindo:not-logged': { tones: [220, 220], touch: [120, 80, 120] },
    'flindo:settled': { tones: [660, 990], touch: [40, 60, 40] },
  };
  const TONE_S = 0.09;

  let audio = null;
  const sound = (tones) => {
    audio ??= new AudioContext();
    tones.forEach((hertz, nth) => {
      const [tone, volume] = [audio.createOscillator(), audio.createGain()];
      const from = audio.currentTime + nth * 1.4 * TONE_S;
      tone.frequency.value = hertz;
      volume.gain.setValueAtTime(0.2, from);
      volume.gain.exponentialRampToValueAtTime(0.001, from + TONE_S);
      tone.connect(volume).connect(audio.destination);
      tone.start(from);
      tone.stop(from + TONE_S);
    });
  };

  for (const [name, { tones, touch }] of Object.entries(SIGNALS)) {
    document.addEventListener(name, () => {
      if (stored(OFF)) return;
      // Browsers refuse both, with a complaint, before somebody touched the page.
      if (!navigator.userActivation?.hasBeenActive) return;
      navigator.vibrate?.(touch);
      try { sound(tones); } catch { /* no sound here */ }
    });
  }

  document.addEventListener('alpine:init', () => {
    Alpine.store('signals', {
      on: !stored(OFF),
      turn() { this.on = !this.on; store(OFF, this.on ? '' : '1'); },
    });
  });

  let lock = null;
  const stayOn = async () => {
    if (document.visibilityState !== 'visible' || lock) return;
    try {
      lock = await navigator.wakeLock.request('screen');
      lock.addEventListener('release', () => { lock = null; });
    } catch { /* refused, as with a low battery */ }
  };

  document.addEventListener('DOMContentLoaded', () => {
    if (navigator.wakeLock) {
      stayOn();
      document.addEventListener('visibilitychange', stayOn);
      return;
    }
    // Browsers keep a screen on over a secure connection only. Said once.
    const told = document.querySelector('[data-dark]');
    if (told && !stored(TOLD)) {
      told.hidden = false;
      store(TOLD, '1');
    }
  });
})();
