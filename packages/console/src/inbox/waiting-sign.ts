import { useEffect, useRef, useState } from 'react';

const KEPT = 'primrose-inbox-sound';
const TONES = [660, 880] as const;
const TONE_SECONDS = 0.16;

function kept(): boolean {
  try {
    return localStorage.getItem(KEPT) !== 'off';
  } catch {
    return true;
  }
}

function keep(on: boolean): void {
  try {
    localStorage.setItem(KEPT, on ? 'on' : 'off');
  } catch {
    // It counts until the page is left.
  }
}

/** Two short tones. A browser plays them only once somebody has pressed something on the page. */
function play(): void {
  const audio = new AudioContext();
  const volume = audio.createGain();
  volume.gain.value = 0.08;
  volume.connect(audio.destination);
  TONES.forEach((frequency, i) => {
    const tone = audio.createOscillator();
    tone.frequency.value = frequency;
    tone.connect(volume);
    tone.start(audio.currentTime + i * TONE_SECONDS);
    tone.stop(audio.currentTime + (i + 1) * TONE_SECONDS);
  });
  setTimeout(() => void audio.close(), 1000);
}

/** A browser that plays nothing shows the title all the same. */
function playIfAble(): void {
  try {
    play();
  } catch (error) {
    console.warn('no sound could be played', error);
  }
}

/** Says by a sound that somebody more waits, and by the title of the window how many do. */
export function useWaitingSign(waiting: number): { readonly sounds: boolean; readonly setSounds: (on: boolean) => void } {
  const [sounds, setSounds] = useState(kept);
  const before = useRef<number>(undefined);
  useEffect(() => {
    const more = before.current !== undefined && waiting > before.current;
    before.current = waiting;
    if (more && sounds) playIfAble();
  }, [waiting, sounds]);
  useEffect(() => {
    const title = document.title.replace(/^\(\d+\) /, '');
    document.title = waiting > 0 ? `(${waiting}) ${title}` : title;
    return () => {
      document.title = title;
    };
  }, [waiting]);
  return {
    sounds,
    setSounds: (on) => {
      keep(on);
      setSounds(on);
    },
  };
}
