// A picture that is drawn anew at each edit

import { dial, draw } from 'usher-anvil/pad';

const gates = dial('gates', 5, { min: 1, max: 12, step: 1 });
const [width, height] = [420, 160];

draw(
  width,
  height,
  (pen) => {
    pen.fillStyle = '#f6f4ef';
    pen.fillRect(0, 0, width, height);
    for (let gate = 0; gate < gates; gate++) {
      pen.fillStyle = gate % 2 === 0 ? '#7f97ad' : '#5d7d97';
      pen.fillRect((gate * width) / gates, 30 + gate * 8, width / gates, height);
    }
  },
  'locks of a flight',
);
