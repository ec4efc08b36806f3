// What a closed tab has left is sent from whatever page is opened next.

import { takeUp } from './edits/queue.js';

takeUp();
