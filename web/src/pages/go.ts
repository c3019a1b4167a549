/** Ways from page to page. */
import { navigate } from 'wouter/use-browser-location';
import { http, told, type Project } from '../api/http';
import { EMPTY, tell } from '../state/project';
import { client } from '../state/queries';
import { setView } from '../state/view';

export const openProject = (id: number) => navigate(`/projects/${id}`);
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
