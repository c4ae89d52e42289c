/** Passkeys of this browser (Web Authentication). What is asked and answered goes to the server as JSON. */

type Asked = Record<string, unknown>;

export const passkeysHere = () =>
  "PublicKeyCredential" in window && "parseRequestOptionsFromJSON" in window.PublicKeyCredential;

async function shown(asking: () => Promise<Credential | null>): Promise<Asked> {
  try {
    const credential = (await asking()) as PublicKeyCredential | null;
    if (credential) return credential.toJSON() as Asked;
  } catch (error) {
    if ((error as DOMException).name === "InvalidStateError")
      throw new Error("This machine has a passkey for here already.");
  }
  throw new Error("No passkey came: it was stopped, or it took too long. Try again.");
}

export const makePasskey = (options: Asked) =>
  shown(() =>
    navigator.credentials.create({
      publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(
        options as unknown as PublicKeyCredentialCreationOptionsJSON,
      ),
    }),
  );

export const showPasskey = (options: Asked) =>
  shown(() =>
    navigator.credentials.get({
      publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(
        options as unknown as PublicKeyCredentialRequestOptionsJSON,
      ),
    }),
  );
