import { useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { call, errorText } from '../api.js';
import { Petal } from '../parts/Petal.js';
import { Alarm } from '../parts/Alarm.js';

/** Uses the one-time link in the address; without one it says where a link comes from. */
export function SignIn() {
  const [problem, setProblem] = useState<string>();
  const navigate = useNavigate();
  const link = location.hash.slice(1);
  const used = useRef(false);
  useEffect(() => {
    if (link === '' || used.current) return;
    used.current = true;
    history.replaceState(null, '', '/sign-in');
    call('signIn', { body: { link } }).then(
      () => void navigate('/', { replace: true }),
      (error: unknown) => setProblem(errorText(error)),
    );
  }, [link, navigate]);
  return (
    <main className="center">
      <Petal size={40} heart />
      <h1 className="serif">Primrose</h1>
      {problem && <Alarm>{problem}</Alarm>}
      {problem === undefined && link !== '' ? (
        <p>Signing in…</p>
      ) : (
        <p>
          Sign in with the link that the start command printed. A new one: <code>npm start -- --link</code>
        </p>
      )}
    </main>
  );
}
