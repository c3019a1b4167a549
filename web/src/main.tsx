import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { App } from './app';
import './styles.css';
import { open } from './store/scene';

const wanted = Number(new URLSearchParams(location.search).get('project')) || undefined;
void open(wanted);
const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <StrictMode>
      <App />
    </StrictMode>,
  );
}
