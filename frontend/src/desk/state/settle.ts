/** After the job or the selection changed, the step Find settles again on what it searches and with which settings. */
import { desk, type FindBy, type Scope, set } from "./desk";

/** Each kind of search registers how it settles; a search that is not here is a search that no card offers. */
export const settlers = new Map<FindBy, () => Promise<void>>();

export const settleSearch = async (): Promise<void> => settlers.get(desk().findBy)?.();

export const setFindBy = (findBy: FindBy): void => {
  set({ findBy, drafts: null, drafted: false });
  void settleSearch();
};

export const setScope = (scope: Scope): void => {
  set({ scope });
  void settleSearch();
};
