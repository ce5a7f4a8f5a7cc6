// The gauge prints three readings twenty times a second. In the console, press "Plot these numbers".
// Which of the three answers when the paddle is raised?
const readings = { upper: 4.9, chamber: 0.6, lower: 0.7 };
let tick = 0;

/** Water runs from the upper pound into the chamber while the paddle is up. */
function paddleIsUp(): boolean {
  return tick % 400 > 120 && tick % 400 < 300;
}

function measure(): void {
  tick++;
  if (paddleIsUp()) readings.chamber += (readings.upper - readings.chamber) * 0.025;
  else readings.chamber += (0.6 - readings.chamber) * 0.02;
  const ripple = (size: number) => Math.sin(tick / 3) * size + Math.sin(tick / 7.3) * size;
  console.log(
    'upper %s m  chamber %s m  lower %s m',
    (readings.upper + ripple(0.01)).toFixed(3),
    (readings.chamber + ripple(0.03)).toFixed(3),
    (readings.lower + ripple(0.015)).toFixed(3),
  );
}

setInterval(measure, 50);
