/** Characters that a password has at least. */
export const shortestPassword = 8;
/** A shorter login may stand in a password: most texts hold its letters. */
const shortestLogin = 3;

/** Why a text cannot be the new password of an account with this login, in a sentence; null where it can. */
export function passwordProblem(password: string, login: string): string | null {
  const [given, name] = [password, login].map((text) => text.normalize('NFKC').trim().toLowerCase()) as [
    string,
    string,
  ];
  if ([...password].length < shortestPassword) return `A password has at least ${shortestPassword} characters.`;
  if (given === '') return 'A password cannot be blank.';
  if (given === name || (name.length >= shortestLogin && given.includes(name)))
    return 'A password cannot contain the login.';
  return null;
}
