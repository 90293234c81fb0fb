import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take } from "../api/client";

/** Sign in. Also shown over an expired session, so that what was being edited stays. */
export function SignIn({ expired = false }: { expired?: boolean }) {
  const client = useQueryClient();
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const [problem, setProblem] = useState("");
  const [busy, setBusy] = useState(false);
  const submit = async () => {
    setBusy(true);
    try {
      client.setQueryData(["me"], await take(api.POST("/api/session/sign-in/", { body: { username, password } })));
      window.dispatchEvent(new Event("reed:signed-in"));
      await client.invalidateQueries();
    } catch (error) {
      setProblem(problemOf(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <main className="sign-in">
      <div className="sign-in-card">
        <img src="/icon.svg" alt="" width="56" height="56" />
        <h1>Tall Reed</h1>
        <p>{expired ? "Your session has ended. Sign in again; what you were editing is still here." : "Sign in to your holding."}</p>
        <form
          onSubmit={(event) => {
            event.preventDefault();
            void submit();
          }}>
          <label htmlFor="username">Name</label>
          <input id="username" autoComplete="username" required value={username} onChange={(e) => setUsername(e.target.value)} />
          <label htmlFor="password">Password</label>
          <input id="password" type="password" autoComplete="current-password" required value={password} onChange={(e) => setPassword(e.target.value)} />
          {problem && <p role="alert" className="error">{problem}</p>}
          <button type="submit" className="button primary" disabled={busy}>{busy ? "Signing in…" : "Sign in"}</button>
        </form>
      </div>
    </main>
  );
}
