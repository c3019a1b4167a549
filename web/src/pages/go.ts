/** Ways from page to page. */
import { navigate } from 'wouter/use-browser-location';
import { http, told, type Project } from '../api/http';
import { EMPTY, tell } from '../state/project';
import { client } from '../state/queries';

export const openProject = (id: number) => navigate(`/projects/${id}`);
export const toProjects = () => navigate('/projects');

/** Starts an empty project and goes there. */
export async function newProject() {
  try {
    const made = (await told(http.POST('/api/projects', { body: { scene: EMPTY } }))) as Project;
    void client.invalidateQueries({ queryKey: ['projects'] });
    openProject(made.id);
  } catch (e) {
    tell(e);
  }
}
