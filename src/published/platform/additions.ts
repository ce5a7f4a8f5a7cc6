/** What a project adds is executed where it is: a published pad has nothing of it. */
export const additionsFor = () => ({ languages: [], verbs: [], views: [], hosts: [], wrong: '' });
export const additionsText = (): string => '';
