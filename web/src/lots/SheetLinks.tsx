const FORMS = [
  ["html", "print"],
  ["md", "Markdown"],
  ["csv", "CSV"],
] as const;

/** The run sheet of a lot: its steps for people to do, in each form it can be had. */
export function SheetLinks({ lot }: { lot: number }) {
  return (
    <span style={{ fontSize: 13, whiteSpace: "nowrap" }}>
      Run sheet:{" "}
      {FORMS.map(([form, label], n) => (
        <span key={form}>
          {n > 0 && ", "}
          <a
            href={`/api/lots/${String(lot)}/sheet/?written_as=${form}`}
            {...(form === "html" ? { target: "_blank", rel: "noreferrer" } : { download: true })}
          >
            {label}
          </a>
        </span>
      ))}
    </span>
  );
}
