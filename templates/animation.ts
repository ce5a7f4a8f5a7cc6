// A canvas that is drawn on again and again

const canvas = document.createElement('canvas');
canvas.width = 480;
canvas.height = 200;
document.body.append(canvas);
const pen = canvas.getContext('2d')!;
let x = 0;

function barge(at: number): void {
  pen.fillStyle = '#d9711f';
  pen.fillRect(at, 118, 70, 16);
  pen.fillRect(at + 48, 102, 16, 16);
}

function frame(): void {
  pen.clearRect(0, 0, canvas.width, canvas.height);
  pen.fillStyle = '#7f97ad';
  pen.fillRect(0, 130, canvas.width, 70);
  x = (x + 1) % canvas.width;
  barge(x);
  requestAnimationFrame(frame);
}

frame();
