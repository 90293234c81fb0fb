import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, problemOf, take } from "../../api/client";
import { useChange } from "../../api/queries";
import type { StageProps } from "../../frame/Frame";
import { age } from "../../units/format";

const ROLES = [
  { role: "viewer", may: "sees everything, changes nothing" },
  { role: "grower", may: "lays out, calibrates, waters, writes notes" },
  { role: "owner", may: "also houses, nodes' tokens and people" },
] as const;

/** Who is on this holding; an owner asks others in by a link. */
export default function PeoplePart({ watch, owner }: StageProps) {
  const path = { params: { path: { site_id: watch.site } } };
  const people = useQuery({ queryKey: ["people", watch.site], queryFn: () => take(api.GET("/api/sites/{site_id}/people/", path)) });
  const [role, setRole] = useState<"viewer" | "grower" | "owner">("grower");
  const invite = useChange(() => take(api.POST("/api/sites/{site_id}/invitations/", { ...path, body: { role } })), "people");
  return (
    <>
      <h1>People of {watch.name}</h1>
      {people.isError && <p role="alert" className="error">{problemOf(people.error)}</p>}
      <table className="plain-table">
        <caption className="visually-hidden">People and their roles</caption>
        <thead><tr><th scope="col">Name</th><th scope="col">Role</th><th scope="col">Last signed in</th></tr></thead>
        <tbody>{people.data?.map((p) => <tr key={p.username}><th scope="row">{p.name}</th><td>{p.role}</td><td>{p.last_login ? age(p.last_login, new Date().toISOString()) : "not yet"}</td></tr>)}</tbody>
      </table>
      {owner && (
        <section aria-label="Ask someone in">
          <h2>Ask someone in</h2>
          <fieldset className="role-choice">
            <legend className="visually-hidden">Role</legend>
            {ROLES.map((r) => (
              <label key={r.role}><input type="radio" name="role" checked={role === r.role} onChange={() => setRole(r.role)} /> <b>{r.role}</b> {r.may}</label>
            ))}
          </fieldset>
          <button type="button" className="button primary" disabled={invite.isPending} onClick={() => invite.mutate(undefined)}>Make a link for a {role}</button>
          {invite.data && <p role="status">Give them this link; it works once, for 7 days, and is shown this once: <code className="mono link-once">{window.location.origin}{invite.data.path}</code></p>}
          {invite.isError && <p role="alert" className="error">{problemOf(invite.error)}</p>}
        </section>
      )}
    </>
  );
}
