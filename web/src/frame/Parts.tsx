import { useSearchParams } from "react-router";

export interface Part {
  code: string;
  name: string;
}

/** Which part of a stage is open, kept in the address. */
export function usePart(parts: readonly Part[]): [string, (code: string) => void] {
  const [search, setSearch] = useSearchParams();
  const asked = search.get("part");
  const here = parts.find((p) => p.code === asked)?.code ?? parts[0]?.code ?? "";
  return [here, (code) => setSearch(code === parts[0]?.code ? {} : { part: code })];
}

/** The parts of a stage as words in a row; the open one stands on the line. */
export function Parts({ parts, here, onGo, label }: { parts: readonly Part[]; here: string; onGo: (code: string) => void; label: string }) {
  return (
    <nav className="parts" aria-label={label}>
      {parts.map((p) => (
        <button key={p.code} type="button" aria-current={p.code === here ? "page" : undefined} onClick={() => onGo(p.code)}>
          {p.name}
        </button>
      ))}
    </nav>
  );
}
