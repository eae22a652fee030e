// Staff notation above the tablature, drawn in the browser from the bars of each line.
document.addEventListener('DOMContentLoaded', () => {
  document.querySelectorAll('.staff').forEach((el) => {
    ABCJS.renderAbc(el, el.dataset.abc, { staffwidth: 940, paddingtop: 0, paddingbottom: 0, paddingleft: 0, paddingright: 0, responsive: 'resize', add_classes: true });
  });
});
