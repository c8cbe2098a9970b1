/** What people are told of by mail, where they ask for it. */
export const WHAT_IS_WRONG =
  'Runs, mail and notices that failed, live workflows that cannot do what they say, files that were refused, tables that are not recorded, channels and programs that take nothing'
