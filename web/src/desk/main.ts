import { mount } from 'svelte';
import '../theme.css';
import App from './App.svelte';
import { applyScheme, presentScheme } from './scheme';

applyScheme(presentScheme());
const target = document.getElementById('app');
if (target) mount(App, { target });
