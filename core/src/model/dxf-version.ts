export type DxfVersion = 'R12' | '2000' | '2018';
export const dxfVersions: DxfVersion[] = ['R12', '2000', '2018'];
