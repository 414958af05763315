import type { Schemas } from "../api/problem";

const day = (moment: string) => new Date(moment).toLocaleDateString("en-GB", { dateStyle: "long" });

/** A certificate as its device shows it, for a person to compare before it is pinned. */
export function ShownCertificate({ certificate }: { certificate: Schemas["ShownCertificate"] }) {
  return (
    <>
      <div className="mono" style={{ overflowWrap: "anywhere", margin: "6px 0" }}>
        {certificate.fingerprint}
      </div>
      <div>
        {certificate.subject}, valid from {day(certificate.not_before)} until {day(certificate.not_after)}
      </div>
    </>
  );
}
