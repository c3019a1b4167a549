/** Ways from page to page. */
import { navigate } from 'wouter/use-browser-location';
import { http, told, type Project } from '../api/http';
import { EMPTY, tell } from '../state/project';
import { client } from '../state/queries';
import { setView } from '../state/view';
import { stage } from '../viewport/stage';

export const openProject = (id: number) => navigate(`/projects/${id}`);

const pictures = new Map<number, string>();
/** What a project looked like when its sheet was asked for. */
export const pictureOf = (id: number) => pictures.get(id);

/** The sheet of a project, with a picture of what is on screen. */
export async function openSheet(id: number) {
  const picture = await stage.pictures.small(1280, 720);
  const was = pictures.get(id);
  if (was) URL.revokeObjectURL(was);
  if (picture) pictures.set(id, URL.createObjectURL(picture));
  navigate(`/projects/${id}/sheet`);
}
export const toProjects = () => navigate('/projects');

/** Asks what a new project is called. */
export const newProject = () => setView({ naming: true });

/** Starts an empty project of a name and goes there. */
export async function beginProject(name: string) {
  try {
    const made = (await told(http.POST('/api/projects', { body: { scene: { ...EMPTY, name } } }))) as Project;
    void client.invalidateQueries({ queryKey: ['projects'] });
    openProject(made.id);
  } catch (e) {
    tell(e);
  }
}
