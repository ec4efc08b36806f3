// The page of a model: its pots and colour keys, its line rule, colours read from pictures.

import './model/history.js';
import './model/keys.js';
import './model/pictures.js';
import './model/pots.js';
import './model/rule.js';
import './model/tones.js';
import { catchUp } from './early.js';

catchUp(...document.querySelectorAll('main.model :is(input, select)'));
