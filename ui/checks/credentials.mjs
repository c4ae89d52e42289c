// Verifies credentials with libraries that we did not write, without a network.
// In: [{ credential, documents: { address: document } }] as JSON; out: for each whether it is good, and why not.
import { DataIntegrityProof } from "@digitalbazaar/data-integrity";
import { cryptosuite } from "@digitalbazaar/eddsa-rdfc-2022-cryptosuite";
import { defaultDocumentLoader, verifyCredential } from "@digitalbazaar/vc";
import { checkStatus } from "@digitalbazaar/vc-bitstring-status-list";

let text = "";
for await (const piece of process.stdin) text += piece;

const found = [];
for (const { credential, documents } of JSON.parse(text)) {
  const documentLoader = async (url) =>
    documents[url] ? { contextUrl: null, documentUrl: url, document: documents[url] } : defaultDocumentLoader(url);
  const suite = new DataIntegrityProof({ cryptosuite });
  const status = (options) => checkStatus({ ...options, verifyBitstringStatusListCredential: true });
  const result = await verifyCredential({ credential, suite, documentLoader, checkStatus: status });
  const errors = (one) =>
    one ? [one.message, ...(one.errors ?? []).flatMap(errors), ...(one.cause ? errors(one.cause) : [])] : [];
  found.push({
    verified: result.verified,
    revoked: result.statusResult?.results?.some((one) => one.status) ?? null,
    errors: [...errors(result.error), ...errors(result.statusResult?.error)],
  });
}
process.stdout.write(JSON.stringify(found));
