/** The kind of node that has the visitor sign in. */
export const SIGN_IN = 'sign-in';
/** The node of this kind before a flow that needs somebody who has signed in: it stands in no document, and no document has such an id. */
export const SIGN_IN_FIRST = '~sign-in';
